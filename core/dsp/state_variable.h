// Building blocks of trapezoidal state-variable filters of second order.
#pragma once

#include <algorithm>
#include <cmath>
#include <numbers>

namespace reed {

/// Prewarped corner frequency tan(pi f / rate); f is clamped to 0.45 of the rate.
inline float warped_frequency(double frequency, double sample_rate) {
    return static_cast<float>(
        std::tan(std::numbers::pi * std::min(frequency, 0.45 * sample_rate) / sample_rate));
}

/// State update with the shortest dependency chain (V. Zavalishin, "The Art of VA
/// Filter Design", ch. 4, with the outputs left out): s1' = keep s1 - cross s2 + cross x, s2' = s2 + cross s1
/// + feed (x - s2). Band-pass and low-pass are the means of the states before and after.
struct SvfCoefficients {
    float keep = 1.0f, cross = 0.0f, feed = 0.0f;

    /// `damping` is 1 / Q.
    static SvfCoefficients of(float warped, float damping) {
        const float a1 = 1.0f / (1.0f + warped * (warped + damping));
        return {2.0f * a1 - 1.0f, 2.0f * warped * a1, 2.0f * warped * warped * a1};
    }
    float first(float s1, float s2, float x) const { return (keep * s1 + cross * x) - cross * s2; }
    float second(float s1, float s2, float x) const { return (s2 + feed * x) + (cross * s1 - feed * s2); }
};

}  // namespace reed
