// Watches one source. Internal to core/devices.
#pragma once

#include <pipewire/pipewire.h>

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "devices/route_volume.h"

namespace reed {

/// Tracks channels and volume of a source, and sets the volume. Create, use and destroy with the lock of the
/// loop, before the registry.
class SourceWatch {
  public:
    /// Changed properties; empty: unchanged.
    struct News {
        std::optional<std::vector<std::string>> channels;
        SystemVolume volume;
    };
    /// `told` is called on the PipeWire thread.
    SourceWatch(pw_registry* registry, std::uint32_t node, std::function<void(const News&)> told);
    ~SourceWatch();
    SourceWatch(const SourceWatch&) = delete;
    SourceWatch& operator=(const SourceWatch&) = delete;

    /// Sets the volume as the system settings do: on the route of its device, if it has one, otherwise on the
    /// source. The newest call wins.
    void set(const SystemVolume& wanted);

  private:
    void set_here(const SystemVolume& wanted);
    void properties_told(const spa_dict* props);
    void volume_told(const spa_pod* props);

    pw_registry* registry_;
    pw_proxy* proxy_ = nullptr;
    spa_hook hook_{};
    std::function<void(const News&)> told_;
    int volumes_ = 1;                      // number of channel volumes
    std::optional<std::uint32_t> device_;  // its device,
    std::optional<int> place_;             // and its card.profile.device
    std::unique_ptr<RouteVolume> route_;
};

}  // namespace reed
