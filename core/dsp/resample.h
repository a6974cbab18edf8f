// Change of sample rate (libsoxr, its high quality: 20 bits, flat to 91 % of the lower half rate).
#pragma once

#include <vector>

namespace reed {

/// The whole sound at once; sample n of the result stands at time n / `to`. Rates in Hz, above 0.
std::vector<float> resample(const std::vector<float>& sound, double from, double to);

}  // namespace reed
