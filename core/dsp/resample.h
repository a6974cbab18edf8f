// Offline sample rate conversion (libsoxr, high quality: 20 bits, flat to 91 % of the lower Nyquist
// frequency).
#pragma once

#include <vector>

namespace reed {

/// Converts a whole signal; sample n of the result is at time n / `to`. Rates in Hz, above 0.
std::vector<float> resample(const std::vector<float>& sound, double from, double to);

}  // namespace reed
