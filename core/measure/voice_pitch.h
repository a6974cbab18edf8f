// How low and how high a voice speaks.
#pragma once

#include <optional>
#include <span>

namespace reed {

struct PitchRange {
    double low = 0.0;      ///< Hz; 5 % of the voiced time lies below
    double median = 0.0;   ///< Hz
    double high = 0.0;     ///< Hz; 5 % of the voiced time lies above
    double seconds = 0.0;  ///< voiced time that was measured
};

/// Pitch of a voice in `sound` (one channel, full scale +-1) by PitchDetector (YIN), every 10 ms. Single
/// leaps of an octave are left out: a value counts if the one before or after lies within 20 % of it.
/// Nothing below half a second of voiced sound.
std::optional<PitchRange> pitch_range(std::span<const float> sound, double sample_rate);

}  // namespace reed
