// Narrow tones in the background noise other than mains hum: power supplies, fans, screens.
#pragma once

#include <span>
#include <vector>

#include "suppression/hum.h"

namespace reed {

struct NarrowTone {
    double frequency = 0.0;   ///< Hz
    double level = 0.0;       ///< dBFS (AES17)
    double prominence = 0.0;  ///< dB above the spectrum beside it
};

/// Tones of at least 12 dB over the median of the third octave around them, between 40 Hz and 16 kHz (or half
/// the sample rate), present in both halves of `sound` (one channel, full scale +-1, at least 2 s), at most
/// `most`, the most prominent first. Multiples of `hum` are excluded.
std::vector<NarrowTone> narrow_tones(std::span<const float> sound, double sample_rate, const Hum* hum,
                                     size_t most = 3);

}  // namespace reed
