// The room's own sound, learnt while nobody speaks.
#pragma once

#include <span>
#include <vector>

#include "base/result.h"

namespace reed {

/// Mean spectrum of a room. Independent of the sample rate it is used at.
struct NoiseProfile {
    double sample_rate = 0.0;   ///< Hz, at which it was learnt: nothing is known above half of it
    double band_hz = 0.0;       ///< width of a band; band k is centred at k * band_hz
    std::vector<float> levels;  ///< level of each band in dBFS (AES17); empty: nothing learnt

    bool operator==(const NoiseProfile&) const = default;
    bool empty() const { return levels.empty(); }
    /// Level in dBFS of all bands together.
    double level() const;
    /// Mean square per Hz at `frequency`; above what was learnt, that of the highest band.
    double density(double frequency) const;
};

inline constexpr double kLeastToneSeconds = 3.0;
inline constexpr double kMostToneSeconds = 10.0;
inline constexpr double kLowestToneLevel = -160.0;  ///< of one band, dBFS; also stands for silence
inline constexpr size_t kMaxProfileBands = 4096;

/// Learns from `sound` (full scale +-1, 3 to 10 s; more is not used). Single loud moments (a creak) are left
/// out. Fails, with the reason and the second, when it is too short, silent, when somebody spoke, keys or a
/// mouse clicked or music played, or when it was not even enough to stand for the room.
Result<NoiseProfile> learn_noise_profile(std::span<const float> sound, double sample_rate);

/// What is wrong with a tone that was read from a file; nothing when it can be used.
std::optional<std::string> noise_profile_problem(const NoiseProfile& tone);

}  // namespace reed
