// The gain of the log-spectral amplitude estimator.
#pragma once

#include <algorithm>

#include "base/fast_math.h"

namespace reed {

/// Exponential integral E1(x) = integral from x to infinity of exp(-t) / t dt, x > 0. Abramowitz and Stegun,
/// "Handbook of Mathematical Functions" (1964), 5.1.53 (|error| < 2e-7) below 1 and 5.1.54 from 1 on.
inline float exponential_integral(float x) {
    constexpr float kLn2 = 0.69314718f;
    // Both are computed and one is chosen: without a branch the compiler can work on several bands at once.
    const float near = std::min(x, 1.0f);
    const float series =
        -0.57721566f +
        near * (0.99999193f +
                near * (-0.24991055f + near * (0.05519968f + near * (-0.00976004f + near * 0.00107857f))));
    const float below = series - kLn2 * fast_log2(near);
    const float ratio = (x * x + 2.334733f * x + 0.250621f) / (x * x + 3.330657f * x + 1.681534f);
    const float above = ratio * fast_exp2(-x / kLn2) / x;
    return x < 1.0f ? below : above;
}

/// Gain by which an amplitude is multiplied, for an a-priori SNR `prior` and v = prior / (1 + prior) *
/// posterior (powers). Ephraim and Malah 1985, equation 20.
inline float log_spectral_gain(float prior, float v) {
    constexpr float kHalfLog2E = 0.72134752f;  // log2(e) / 2
    return prior / (1.0f + prior) * fast_exp2(kHalfLog2E * exponential_integral(v));
}

}  // namespace reed
