#include "dsp/intersample_peak.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace reed {

using std::numbers::pi;

IntersamplePeak::IntersamplePeak() {
    for (int phase = 1; phase < kPhases; ++phase) {
        auto& row = taps_[static_cast<size_t>(phase - 1)];
        for (int i = 0; i < kTaps; ++i) {
            // Tap 0 meets the oldest sample; the wanted point lies `phase`/4 after sample kTaps/2 - 1.
            const int before = kTaps / 2 - 1;
            const double distance = i - before - static_cast<double>(phase) / kPhases;
            const double window = 0.5 + 0.5 * std::cos(pi * distance / (kTaps / 2.0));
            const double sinc = std::sin(pi * distance) / (pi * distance);  // the distance is never 0 here
            row[static_cast<size_t>(i)] = static_cast<float>(sinc * window);
        }
        float total = 0.0f;
        for (const float tap : row) total += std::abs(tap);
        most_ = std::max(most_, total);
    }
}

void IntersamplePeak::reset() {
    window_.fill(0.0f);
}

void IntersamplePeak::process(const float* in, int frames, float floor, float* peak) {
    float* fresh = window_.data() + kTaps - 1;
    std::copy_n(in, frames, fresh);
    float largest = 0.0f;
    for (int i = 0; i < kTaps - 1 + frames; ++i)
        largest = std::max(largest, std::abs(window_[static_cast<size_t>(i)]));
    const float* sample = window_.data() + kTaps / 2 - 1;
    for (int i = 0; i < frames; ++i) peak[i] = std::max(peak[i], std::abs(sample[i]));
    if (most_ * largest >= floor) {
        for (const auto& row : taps_) {
            float sum[kSubBlock] = {};
            for (int k = 0; k < kTaps; ++k) {
                const float tap = row[static_cast<size_t>(k)];
                const float* x = window_.data() + k;
                for (int i = 0; i < frames; ++i) sum[i] += tap * x[i];
            }
            for (int i = 0; i < frames; ++i) peak[i] = std::max(peak[i], std::abs(sum[i]));
        }
    }
    std::copy_n(window_.data() + frames, kTaps - 1, window_.data());
}

}  // namespace reed
