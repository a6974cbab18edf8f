// A source's volume as the system's settings have it.
#pragma once

#include <optional>

struct spa_pod;

namespace reed {

inline constexpr double kNoVolume = -100.0;  ///< dB; turned down to nothing

struct SystemVolume {
    std::optional<bool> muted;
    std::optional<double> decibel;  ///< mean of the channels' factors; kNoVolume at least
};

/// Reads a node's parameter SPA_PARAM_Props, which any program may have set; what can't be read is left out.
SystemVolume system_volume(const spa_pod* props) noexcept;

}  // namespace reed
