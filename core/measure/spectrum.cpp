#include "measure/spectrum.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/decibel.h"

namespace reed {

SpectrumMeter::SpectrumMeter(double sample_rate, int length, double average_seconds)
    : sample_rate_(sample_rate), fourier_(length) {
    const auto n = static_cast<size_t>(length);
    double sum = 0.0;
    double squares = 0.0;
    for (size_t i = 0; i < n; ++i) {
        const double w = 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i) / length);
        window_.push_back(static_cast<float>(w));
        sum += w;
        squares += w * w;
    }
    // F. J. Harris, "On the use of windows for harmonic analysis", Proc. IEEE 66 (1), 1978: coherent gain and
    // equivalent noise bandwidth (1.5 bins for Hann).
    scale_ = 4.0 / (sum * sum);
    noise_bins_ = length * squares / (sum * sum);
    const double hop_seconds = 0.25 * length / sample_rate;
    keep_ = std::exp(-hop_seconds / average_seconds);
    fall_ = std::pow(10.0, -0.1 * 6.0 * hop_seconds);
    waiting_.reserve(2 * n);
    restart();
}

void SpectrumMeter::restart() {
    mean_.assign(static_cast<size_t>(fourier_.bins()), 0.0);
    hold_ = mean_;
    waiting_.clear();
    frames_ = 0;
}

void SpectrumMeter::add(std::span<const float> sound) {
    const size_t n = window_.size();
    while (!sound.empty()) {
        const size_t take = std::min(sound.size(), n - waiting_.size());
        waiting_.insert(waiting_.end(), sound.begin(), sound.begin() + static_cast<std::ptrdiff_t>(take));
        sound = sound.subspan(take);
        if (waiting_.size() < n) return;
        transform();
        waiting_.erase(waiting_.begin(), waiting_.begin() + static_cast<std::ptrdiff_t>(n / 4));
    }
}

void SpectrumMeter::transform() {
    const auto x = fourier_.samples();
    for (size_t i = 0; i < x.size(); ++i) x[i] = waiting_[i] * window_[i];
    fourier_.forward();
    const auto bins = fourier_.spectrum();
    ++frames_;
    // The first ones weigh alike, so that the mean is right from the beginning.
    const double share = std::max(1.0 - keep_, 1.0 / static_cast<double>(frames_));
    for (size_t k = 0; k < bins.size(); ++k) {
        const double power = scale_ * std::norm(bins[k]);
        mean_[k] += share * (power - mean_[k]);
        hold_[k] = std::max(power, hold_[k] * fall_);
    }
}

double SpectrumMeter::level(double frequency, double share, SpectrumWidth width, Kind kind) const {
    if (frames_ == 0) return kSilenceDb;
    const std::vector<double>& powers = kind == Kind::mean ? mean_ : hold_;
    const double at = frequency / bin_hz();
    const double last = static_cast<double>(powers.size() - 1);
    const double reach = std::pow(2.0, 0.5 * share);
    const double least = width == SpectrumWidth::octave_share ? 2.0 : 0.0;  // bins to either side
    const auto first =
        static_cast<size_t>(std::clamp(std::round(std::min(at / reach, at - least)), 0.0, last));
    const auto end = static_cast<size_t>(std::clamp(std::round(std::max(at * reach, at + least)), 0.0, last));
    double sum = 0.0;
    for (size_t k = first; k <= end; ++k) sum += powers[k];
    sum /= width == SpectrumWidth::octave_share ? noise_bins_ : static_cast<double>(end - first + 1);
    return sum > 0.0 ? std::max(kSilenceDb, 10.0 * std::log10(sum)) : kSilenceDb;
}

ResonanceFinder::ResonanceFinder(double sample_rate) : sample_rate_(sample_rate) {
    restart();
}

void ResonanceFinder::restart() {
    parts_.clear();
    parts_.emplace_back(sample_rate_, 8192, 1e6);
    seconds_ = part_seconds_ = 0.0;
}

void ResonanceFinder::add(std::span<const float> sound, bool speaking) {
    if (!speaking) return;
    constexpr double kPartSeconds = 4.0;
    const double length = static_cast<double>(sound.size()) / sample_rate_;
    parts_.back().add(sound);
    seconds_ += length;
    part_seconds_ += length;
    if (part_seconds_ < kPartSeconds) return;
    part_seconds_ = 0.0;
    if (parts_.size() == kParts) parts_.erase(parts_.begin());
    parts_.emplace_back(sample_rate_, 8192, 1e6);
}

std::vector<Resonance> ResonanceFinder::find(size_t most) const {
    constexpr int kPerOctave = 24;
    constexpr double kLow = 150.0;
    constexpr double kHigh = 8000.0;
    constexpr double kLeastHeight = 6.0;
    const int count = static_cast<int>(std::log2(kHigh / kLow) * kPerOctave);
    const auto f = [&](int i) { return kLow * std::pow(2.0, static_cast<double>(i) / kPerOctave); };
    // Height above the neighbourhood, minimum over all pieces: a peak that moves is the melody of the voice.
    std::vector<double> height(static_cast<size_t>(count), 1e9);
    bool any = false;
    for (const auto& part : parts_) {
        if (part.frames() * part.length() / 4 < 3.0 * sample_rate_) continue;
        any = true;
        for (int i = 0; i < count; ++i) {
            const double here = part.level(f(i), 1.0 / 12.0, SpectrumWidth::constant);
            // Around: a third to a whole octave away on both sides.
            double around = 0.0;
            int places = 0;
            for (int k = kPerOctave / 3; k <= kPerOctave; k += 2) {
                around += part.level(f(i - k), 1.0 / 6.0, SpectrumWidth::constant) +
                          part.level(f(i + k), 1.0 / 6.0, SpectrumWidth::constant);
                places += 2;
            }
            auto& h = height[static_cast<size_t>(i)];
            h = std::min(h, here - around / places);
        }
    }
    std::vector<Resonance> out;
    if (!any) return out;
    for (int i = 1; i + 1 < count; ++i) {
        const double h = height[static_cast<size_t>(i)];
        if (h < kLeastHeight || h < height[static_cast<size_t>(i) - 1] ||
            h <= height[static_cast<size_t>(i) + 1])
            continue;
        int low = i;
        int high = i;
        while (low > 0 && height[static_cast<size_t>(low)] > 0.5 * h) --low;
        while (high + 1 < count && height[static_cast<size_t>(high)] > 0.5 * h) ++high;
        const double octaves = static_cast<double>(high - low) / kPerOctave;
        if (octaves > 0.5) continue;
        const double edge = std::pow(2.0, octaves);
        out.push_back({f(i), h, std::sqrt(edge) / (edge - 1.0)});
    }
    std::sort(out.begin(), out.end(),
              [](const Resonance& a, const Resonance& b) { return a.height > b.height; });
    // Two of one hill count once.
    std::vector<Resonance> apart;
    for (const auto& r : out) {
        const bool near = std::any_of(apart.begin(), apart.end(), [&](const Resonance& a) {
            return std::abs(std::log2(a.frequency / r.frequency)) < 1.0 / 3.0;
        });
        if (!near && apart.size() < most) apart.push_back(r);
    }
    return apart;
}

}  // namespace reed
