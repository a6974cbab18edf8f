// Sets the volume of hardware. For the files of core/devices only.
#pragma once

#include <pipewire/pipewire.h>

#include "devices/system_volume.h"

namespace reed {

/// Asks a device for the ways its sound takes now and sets the volume of the one that belongs to one of its
/// nodes, as the system's own settings do; the device's hardware follows as far as it can. Made and ended
/// under the loop's lock, before the registry goes.
class RouteVolume {
  public:
    /// `place`: the node's property card.profile.device.
    RouteVolume(pw_registry* registry, std::uint32_t device, int place, const SystemVolume& wanted);
    ~RouteVolume();
    RouteVolume(const RouteVolume&) = delete;
    RouteVolume& operator=(const RouteVolume&) = delete;

  private:
    void told(const spa_pod* param);

    pw_proxy* device_ = nullptr;
    spa_hook hook_{};
    int place_;
    SystemVolume wanted_;
    bool done_ = false;
};

}  // namespace reed
