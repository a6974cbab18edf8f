// Pitch range of a voice.
#pragma once

#include <optional>
#include <span>

namespace reed {

struct PitchRange {
    double low = 0.0;      ///< Hz, 5th percentile of voiced time
    double median = 0.0;   ///< Hz
    double high = 0.0;     ///< Hz, 95th percentile of voiced time
    double seconds = 0.0;  ///< voiced time
};

/// Pitch of a voice in `sound` (one channel, full scale +-1) by PitchDetector (YIN), every 10 ms. Single
/// octave errors are excluded: a value counts if the previous or next one is within 20 %. Empty below 0.5 s
/// of voiced sound.
std::optional<PitchRange> pitch_range(std::span<const float> sound, double sample_rate);

}  // namespace reed
