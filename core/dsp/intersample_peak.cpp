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
            const double distance = i - (kTaps / 2 - 1) - static_cast<double>(phase) / kPhases;
            const double window = 0.5 + 0.5 * std::cos(pi * distance / (kTaps / 2.0));
            const double sinc = std::sin(pi * distance) / (pi * distance);  // the distance is never 0 here
            row[static_cast<size_t>(i)] = static_cast<float>(sinc * window);
        }
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
