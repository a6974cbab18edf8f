// Sets the volume of hardware. For the files of core/devices only.
#pragma once

#include <pipewire/pipewire.h>

#include <functional>

#include "devices/system_volume.h"

namespace reed {

/// Asks a device for the ways its sound takes now and sets the volume of the one that belongs to one of its
/// nodes, as the system's own settings do; the device's hardware follows as far as it can. Made and ended
/// under the loop's lock, before the registry goes.
class RouteVolume {
  public:
    /// `place`: the node's property card.profile.device. `without` is called on the loop's thread when the
    /// device knows no way to that node (profiles that leave all channels to the programs have none).
    RouteVolume(pw_registry* registry, std::uint32_t device, int place, const SystemVolume& wanted,
                std::function<void()> without);
    ~RouteVolume();
    RouteVolume(const RouteVolume&) = delete;
    RouteVolume& operator=(const RouteVolume&) = delete;

  private:
    void told(const spa_pod* param);
    /// Nothing more is told.
    void end();

    pw_proxy* device_ = nullptr;
    spa_hook hook_{}, end_hook_{};
    std::function<void()> without_;
    int place_;
    SystemVolume wanted_;
    bool done_ = false;
};

}  // namespace reed
