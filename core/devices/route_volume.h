// Sets the volume of hardware routes. Internal to core/devices.
#pragma once

#include <pipewire/pipewire.h>

#include <functional>

#include "devices/system_volume.h"

namespace reed {

/// Enumerates the active routes of a device and sets the volume of the route of a node, as the system
/// settings do. Create and destroy with the lock of the loop, before the registry.
class RouteVolume {
  public:
    /// `place`: property card.profile.device of the node. `without` is called on the thread of the loop if
    /// the device has no route for the node (as with pro-audio profiles).
    RouteVolume(pw_registry* registry, std::uint32_t device, int place, const SystemVolume& wanted,
                std::function<void()> without);
    ~RouteVolume();
    RouteVolume(const RouteVolume&) = delete;
    RouteVolume& operator=(const RouteVolume&) = delete;

  private:
    void told(const spa_pod* param);
    /// Stops all callbacks.
    void end();

    pw_proxy* device_ = nullptr;
    spa_hook hook_{}, end_hook_{};
    std::function<void()> without_;
    int place_;
    SystemVolume wanted_;
    bool done_ = false;
};

}  // namespace reed
