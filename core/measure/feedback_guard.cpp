#include "measure/feedback_guard.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/decibel.h"

namespace reed {
namespace {
constexpr double kFrameSeconds = 2048.0 / 48000.0;

int even_length(double sample_rate) {
    return fast_length(static_cast<int>(std::lround(kFrameSeconds * sample_rate)));
}
}  // namespace

HowlDetector::HowlDetector(double sample_rate)
    : sample_rate_(sample_rate), fourier_(even_length(sample_rate)) {
    const int n = fourier_.length();
    for (int i = 0; i < n; ++i)
        window_.push_back(static_cast<float>(0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * i / n)));
    restart();
}

void HowlDetector::restart() {
    waiting_.clear();
    lasted_ = loud_ = 0;
}

bool HowlDetector::add(std::span<const float> sound) {
    bool howls = false;
    while (!sound.empty()) {
        const size_t take = std::min(sound.size(), window_.size() - waiting_.size());
        waiting_.insert(waiting_.end(), sound.begin(), sound.begin() + static_cast<std::ptrdiff_t>(take));
        sound = sound.subspan(take);
        if (waiting_.size() < window_.size()) break;
        howls = look() || howls;
        waiting_.erase(waiting_.begin(), waiting_.begin() + static_cast<std::ptrdiff_t>(window_.size() / 2));
    }
    return howls;
}

bool HowlDetector::look() {
    const auto x = fourier_.samples();
    double power = 0.0;
    for (size_t i = 0; i < x.size(); ++i) {
        power += static_cast<double>(waiting_[i]) * waiting_[i];
        x[i] = waiting_[i] * window_[i];
    }
    power /= static_cast<double>(x.size());
    fourier_.forward();
    const auto bins = fourier_.spectrum();
    double sum = 1e-30;
    size_t top = 1;
    for (size_t k = 1; k + 1 < bins.size(); ++k) {
        sum += std::norm(bins[k]);
        if (std::norm(bins[k]) > std::norm(bins[top])) top = k;
    }
    const double share = (std::norm(bins[top - 1]) + std::norm(bins[top]) +
                          std::norm(bins[std::min(top + 1, bins.size() - 1)])) /
                         sum;
    const double hz = static_cast<double>(top) * sample_rate_ / fourier_.length();
    const double level = mean_square_to_dbfs(power);
    const bool same = lasted_ > 0 && (top == bin_ || top + 1 == bin_ || top == bin_ + 1);
    const bool alone = share > 0.8 && hz > 100.0 && hz < 12000.0 && level > -40.0;
    // A tone that fades is a chime or a struck glass, no feedback.
    const bool fades = lasted_ > 0 && power < 0.8 * last_power_;
    if (!alone || (lasted_ > 0 && !same) || fades) {
        lasted_ = loud_ = 0;
        if (!alone) return false;
    }
    if (lasted_ == 0) first_power_ = power;
    bin_ = top;
    frequency_ = hz;
    level_ = level;
    last_power_ = power;
    ++lasted_;
    loud_ = level > -12.0 ? loud_ + 1 : 0;
    const double hop = 0.5 * kFrameSeconds;
    return (lasted_ * hop >= 0.4 && power >= 0.9 * first_power_) || loud_ * hop >= 0.25;
}

namespace {
constexpr double kProbeSeconds = 0.35, kJudgedSeconds = 0.1;
constexpr double kFalls = 9.0;       // dB
constexpr double kClearedFor = 3.0;  // s
constexpr double kOnceMoreIn = 10.0;

/// Within a quarter of a semitone, or 30 Hz.
bool same_tone(double a, double b) {
    return std::abs(a - b) < std::max(30.0, 0.015 * b);
}
}  // namespace

FeedbackGuard::FeedbackGuard(double sample_rate) : sample_rate_(sample_rate), detector_(sample_rate) {
    heard_.reserve(static_cast<size_t>(sample_rate));
}

FeedbackAction FeedbackGuard::add(std::span<const float> sound) {
    time_ += static_cast<double>(sound.size()) / sample_rate_;
    if (lowered_) {
        heard_.insert(heard_.end(), sound.begin(), sound.end());
        return static_cast<double>(heard_.size()) < kProbeSeconds * sample_rate_ ? FeedbackAction::nothing
                                                                                 : judge();
    }
    if (!detector_.add(sound)) return FeedbackAction::nothing;
    frequency_ = detector_.frequency();
    level_ = detector_.level();
    detector_.restart();
    if (same_tone(frequency_, cleared_) && time_ - cleared_at_ < kClearedFor) return FeedbackAction::nothing;
    lowered_ = true;
    heard_.clear();
    return FeedbackAction::lower;
}

FeedbackAction FeedbackGuard::judge() {
    lowered_ = false;
    detector_.restart();
    if (mean_square_to_dbfs(tone_power()) > level_ - kFalls) {
        cleared_ = frequency_;
        cleared_at_ = time_;
        return FeedbackAction::restore;
    }
    if (same_tone(frequency_, fell_) && time_ - fell_at_ < kOnceMoreIn) return FeedbackAction::cut;
    fell_ = frequency_;
    fell_at_ = time_;
    return FeedbackAction::restore;
}

double FeedbackGuard::tone_power() const {
    // Whatever is near the tone: it may have drifted by a bin.
    const auto n = static_cast<size_t>(kJudgedSeconds * sample_rate_);
    const std::span<const float> end = std::span(heard_).last(std::min(n, heard_.size()));
    double most = 0.0;
    for (double hz = frequency_ - 24.0; hz <= frequency_ + 24.0; hz += 6.0) {
        double re = 0.0;
        double im = 0.0;
        for (size_t i = 0; i < end.size(); ++i) {
            const double x = static_cast<double>(i) / static_cast<double>(end.size());
            const double w = 1.0 - std::cos(2.0 * std::numbers::pi * x);  // Hann, mean 1
            const double phase = 2.0 * std::numbers::pi * hz * static_cast<double>(i) / sample_rate_;
            re += w * end[i] * std::cos(phase);
            im += w * end[i] * std::sin(phase);
        }
        const double size = static_cast<double>(end.size());
        most = std::max(most, 2.0 * (re * re + im * im) / (size * size));
    }
    return most;
}

}  // namespace reed
