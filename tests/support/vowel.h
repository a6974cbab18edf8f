// A sung vowel, made up.
#pragma once

#include <vector>

namespace reed::test {

/// Pulses through resonators at the formants of an open "a" (G. E. Peterson, H. L. Barney, JASA 24 (2), 1952:
/// 730, 1090, 2440 Hz for men), its pitch (Hz) wandering by `vibrato` cents five times a second. Peak 0.3.
std::vector<float> vowel(double pitch, double seconds, double rate = 48000, double vibrato = 0.0);

}  // namespace reed::test
