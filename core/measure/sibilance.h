// How sharp the s sounds of a voice are.
#pragma once

#include <optional>
#include <vector>

namespace reed {

/// Level above 4 kHz (24 dB per octave) of the sharpest s sounds in `sound` (one channel, full scale +-1), in
/// dB against the active speech level (ITU-T P.56): the 98th percentile of pieces of 10 ms. Nothing without
/// speech.
std::optional<double> sibilance(const std::vector<float>& sound, double sample_rate);

}  // namespace reed
