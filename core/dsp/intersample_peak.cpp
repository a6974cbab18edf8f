#include "dsp/intersample_peak.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace reed {
namespace {

/// Modified Bessel function of order zero, by its power series.
double bessel_i0(double x) {
    double sum = 1.0;
    double term = 1.0;
    for (int k = 1; k < 40; ++k) {
        term *= (0.5 * x / k) * (0.5 * x / k);
        sum += term;
    }
    return sum;
}

}  // namespace

IntersamplePeak::IntersamplePeak() {
    constexpr double kBeta = 7.0;  // about 70 dB of stop band
    for (int phase = 1; phase < kPhases; ++phase) {
        double total = 0.0;
        auto& row = taps_[static_cast<size_t>(phase - 1)];
        for (int i = 0; i < kTaps; ++i) {
            // Row index 0 is the oldest sample; the wanted point lies `phase`/4 after sample kTaps/2 - 1.
            const double distance = i - (kTaps / 2 - 1) - static_cast<double>(phase) / kPhases;
            const double edge = distance / (kTaps / 2.0);
            const double window = std::abs(edge) < 1.0
                                      ? bessel_i0(kBeta * std::sqrt(1.0 - edge * edge)) / bessel_i0(kBeta)
                                      : 0.0;
            const double sinc =
                std::sin(std::numbers::pi * distance) / (std::numbers::pi * distance);  // never at 0 here
            row[static_cast<size_t>(i)] = static_cast<float>(sinc * window);
            total += sinc * window;
        }
        for (auto& tap : row) tap = static_cast<float>(tap / total);
    }
}

void IntersamplePeak::reset() {
    ring_.fill(0.0f);
    position_ = 0;
}

float IntersamplePeak::next(float in) {
    ring_[static_cast<size_t>(position_)] = in;
    ring_[static_cast<size_t>(position_ + kTaps)] = in;
    position_ = position_ + 1 == kTaps ? 0 : position_ + 1;
    const float* window = ring_.data() + position_;  // oldest first
    float peak = std::abs(window[kTaps / 2 - 1]);
    for (const auto& row : taps_) {
        // Four partial sums, so that the compiler can keep them in one vector register.
        float sum[4] = {0.0f, 0.0f, 0.0f, 0.0f};
        for (int i = 0; i < kTaps; i += 4) {
            for (int j = 0; j < 4; ++j) sum[j] += row[static_cast<size_t>(i + j)] * window[i + j];
        }
        peak = std::max(peak, std::abs((sum[0] + sum[1]) + (sum[2] + sum[3])));
    }
    return peak;
}

}  // namespace reed
