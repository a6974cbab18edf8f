// A source's volume as the system's settings have it.
#pragma once

#include <cstdint>
#include <optional>

struct spa_pod;
struct spa_pod_builder;

namespace reed {

inline constexpr double kNoVolume = -100.0;  ///< dB; turned down to nothing
inline constexpr double kMostVolume = 20.0;  ///< dB; more is asked of no device

struct SystemVolume {
    std::optional<bool> muted;
    std::optional<double> decibel;  ///< mean of the channels' factors; kNoVolume at least
    int channels = 0;               ///< that have a factor; 0: unknown
};

/// Reads a node's parameter SPA_PARAM_Props, which any program may have set; what can't be read is left out.
SystemVolume system_volume(const spa_pod* props) noexcept;
/// Such a parameter that sets it, for all `volume.channels`; limited to its range. Lies in the builder's
/// memory; nullptr when that is too small.
const spa_pod* volume_props(spa_pod_builder& builder, const SystemVolume& volume);

/// The way a device's sound takes now, which has the volume where there is hardware.
struct DeviceRoute {
    int index = 0;
    int device = 0;  ///< which of the device's nodes it belongs to (their property card.profile.device)
};
/// Reads a device's parameter SPA_PARAM_Route; nothing when it is anything else.
std::optional<DeviceRoute> device_route(const spa_pod* route) noexcept;
/// Such a parameter that sets its volume and has the session manager remember it.
const spa_pod* volume_route(spa_pod_builder& builder, const DeviceRoute& route, const SystemVolume& volume);

}  // namespace reed
