// Logarithm and power of two for whole rows of samples: branch-free, so that the compiler can vectorise
// the loops that call them. Both are plain series; the errors stated are checked in tests/core.
#pragma once

#include <bit>
#include <cstdint>

namespace reed {

/// Base-2 logarithm of a positive, normal float; absolute error below 4e-6 (0.00003 dB).
/// The mantissa, brought to [sqrt(1/2), sqrt(2)), goes through ln m = 2 artanh((m-1)/(m+1)).
inline float fast_log2(float x) {
    const auto bits = std::bit_cast<std::int32_t>(x);
    const std::int32_t exponent = (bits - 0x3f3504f3) >> 23;  // 0x3f3504f3 is sqrt(1/2)
    const float m = std::bit_cast<float>(bits - (exponent << 23));
    const float t = (m - 1.0f) / (m + 1.0f);
    const float t2 = t * t;
    const float series = t * (2.8853901f + t2 * (0.96179669f + t2 * (0.57707802f + t2 * 0.41219859f)));
    return static_cast<float>(exponent) + series;
}

/// Two to the power x for x in [-126, 126]; relative error below 4e-7.
inline float fast_exp2(float x) {
    x = x < -126.0f ? -126.0f : (x > 126.0f ? 126.0f : x);
    const float shifted = x + 12582912.0f;  // 1.5 * 2^23: the sum rounds x to the nearest integer
    const float whole = shifted - 12582912.0f;
    const float f = x - whole;
    const float series =
        1.0f + f * (0.69314718f +
                    f * (0.24022651f +
                         f * (0.05550411f + f * (0.0096181291f + f * (0.0013333558f + f * 0.00015403530f)))));
    const std::int32_t exponent = static_cast<std::int32_t>(whole);
    return series * std::bit_cast<float>((exponent + 127) << 23);
}

inline constexpr float kDbPerLog2 = 6.0205999f;         ///< 20 log10(2)
inline constexpr float kLog2PerDb = 1.0f / 6.0205999f;  ///< inverse of kDbPerLog2

}  // namespace reed
