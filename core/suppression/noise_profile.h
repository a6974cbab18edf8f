// A noise profile, learned from a recording without speech.
#pragma once

#include <span>
#include <vector>

#include "base/result.h"

namespace reed {

/// Mean spectrum of background noise. Independent of the sample rate at which it is used.
struct NoiseProfile {
    double sample_rate = 0.0;   ///< Hz at which it was learned; it covers frequencies up to half of it
    double band_hz = 0.0;       ///< width of a band; band k is centred at k * band_hz
    std::vector<float> levels;  ///< level of each band in dBFS (AES17); empty: nothing learned

    bool operator==(const NoiseProfile&) const = default;
    bool empty() const { return levels.empty(); }
    /// Total level in dBFS.
    double level() const;
    /// Mean square per Hz at `frequency`; above the highest band, the value of that band.
    double density(double frequency) const;
};

inline constexpr double kLeastToneSeconds = 3.0;
inline constexpr double kMostToneSeconds = 10.0;
inline constexpr double kLowestToneLevel = -160.0;  ///< minimum of a band in dBFS; also used for silence
inline constexpr size_t kMaxProfileBands = 4096;

/// Learns from `sound` (full scale +-1, 3 to 10 s; more is not used). Single loud moments (a creak) are
/// excluded. Returns an error, with the reason and the time in s, if it is too short, silent or too uneven,
/// or contains speech, clicks or music.
Result<NoiseProfile> learn_noise_profile(std::span<const float> sound, double sample_rate);

/// Validates a profile that was read from a file; empty if it can be used.
std::optional<std::string> noise_profile_problem(const NoiseProfile& tone);

}  // namespace reed
