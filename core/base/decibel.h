// Decibels, as the whole program uses them.
//
// One scale serves every level shown or compared: dBFS as AES17 defines it, where a sine of
// full-scale amplitude reads 0 dBFS, whether it is measured by its peak or by its RMS value.
// An RMS level is therefore 10 log10(2 * mean square): 3.01 dB above the bare RMS figure.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <span>

namespace reed {

/// Levels at or below this are shown as silence (dBFS). 24-bit sound ends at about -144.
inline constexpr double kSilenceDb = -150.0;

/// Range of faders in dB; the minimum is silence.
inline constexpr double kFaderMinDb = -60.0;
inline constexpr double kFaderMaxDb = 12.0;

/// Amplitude ratio for a level in dB; any finite dB value. 20 dB is a factor of ten.
inline double db_to_gain(double db) {
    return std::pow(10.0, db / 20.0);
}

/// Level in dB of an amplitude ratio >= 0; never below kSilenceDb.
inline double gain_to_db(double gain) {
    return gain > 3.2e-8 ? 20.0 * std::log10(gain) : kSilenceDb;
}

/// AES17 RMS level in dBFS of a mean square (full-scale sine: mean square 0.5, level 0).
inline double mean_square_to_dbfs(double mean_square) {
    return mean_square > 5e-16 ? 10.0 * std::log10(2.0 * mean_square) : kSilenceDb;
}

/// RMS level in dBFS of samples; silence for none.
inline double rms_dbfs(std::span<const float> samples) {
    double sum = 0.0;
    for (const float x : samples) sum += static_cast<double>(x) * x;
    return mean_square_to_dbfs(sum / static_cast<double>(std::max<std::size_t>(samples.size(), 1)));
}

/// Rounds to 0.5 dB.
inline double half_decibels(double db) {
    return std::round(2.0 * db) / 2.0;
}

/// Inverse of mean_square_to_dbfs.
inline double dbfs_to_mean_square(double dbfs) {
    return 0.5 * std::pow(10.0, dbfs / 10.0);
}

}  // namespace reed
