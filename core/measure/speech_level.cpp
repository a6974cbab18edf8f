#include "measure/speech_level.h"

#include <array>
#include <cmath>

#include "base/decibel.h"

namespace reed {
namespace {
constexpr int kThresholds = 24;      // 2^-23 ... 2^0 of full scale, 6.02 dB apart
constexpr double kMargin = 15.9;     // dB
constexpr double kHangover = 0.200;  // s
constexpr double kTime = 0.030;      // s
}  // namespace

std::optional<SpeechLevel> speech_level(const std::vector<float>& x, double sample_rate) {
    if (static_cast<double>(x.size()) < kHangover * sample_rate) return std::nullopt;
    const double g = std::exp(-1.0 / (kTime * sample_rate));
    const auto hang = static_cast<long>(kHangover * sample_rate);
    std::array<double, kThresholds> threshold{};
    for (int j = 0; j < kThresholds; ++j)
        threshold[static_cast<size_t>(j)] = std::exp2(j - (kThresholds - 1));
    std::array<long, kThresholds> active{};
    std::array<long, kThresholds> since;
    since.fill(hang);
    double sum = 0.0;
    double p = 0.0;
    double q = 0.0;
    for (const float sample : x) {
        sum += static_cast<double>(sample) * sample;
        p = g * p + (1.0 - g) * std::abs(sample);
        q = g * q + (1.0 - g) * p;
        for (size_t j = 0; j < kThresholds; ++j) {
            if (q >= threshold[j]) {
                ++active[j];
                since[j] = 0;
            } else if (since[j] < hang) {
                ++active[j];
                ++since[j];
            }
        }
    }
    if (sum <= 0.0) return std::nullopt;
    // The level over the time above each threshold falls as the threshold falls; wanted is the point where
    // it lies the margin above the threshold, between two thresholds by straight lines.
    double above_level = 0.0;
    double above_margin = 0.0;
    bool have_above = false;
    for (int j = kThresholds - 1; j >= 0; --j) {
        const auto k = static_cast<size_t>(j);
        if (active[k] == 0) continue;
        const double level = 10.0 * std::log10(sum / static_cast<double>(active[k]));
        const double margin = level - 20.0 * std::log10(threshold[k]) - kMargin;
        if (margin >= 0.0) {
            const double t = have_above ? above_margin / (above_margin - margin) : 1.0;
            const double found = have_above ? above_level + t * (level - above_level) : level;
            const double activity = sum / std::pow(10.0, found / 10.0) / static_cast<double>(x.size());
            return SpeechLevel{found + 10.0 * std::log10(2.0), std::min(activity, 1.0)};
        }
        above_level = level;
        above_margin = margin;
        have_above = true;
    }
    return std::nullopt;
}

}  // namespace reed
