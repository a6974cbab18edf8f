// What the daemon tells of one source to those who ask. For the files of core/devices only.
#pragma once

#include <pipewire/pipewire.h>

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "devices/route_volume.h"

namespace reed {

/// Follows the channels and the volume of a source, and sets the volume. Made, used and ended under the
/// loop's lock, before the registry goes.
class SourceWatch {
  public:
    /// What has changed; what is empty has not.
    struct News {
        std::optional<std::vector<std::string>> channels;
        SystemVolume volume;
    };
    /// `told` is called on the loop's thread.
    SourceWatch(pw_registry* registry, std::uint32_t node, std::function<void(const News&)> told);
    ~SourceWatch();
    SourceWatch(const SourceWatch&) = delete;
    SourceWatch& operator=(const SourceWatch&) = delete;

    /// As the system's own settings do: by the way its device's sound takes where there is hardware that has
    /// one, else on the source itself. The newest wish counts.
    void set(const SystemVolume& wanted);

  private:
    void set_here(const SystemVolume& wanted);
    void properties_told(const spa_dict* props);
    void volume_told(const spa_pod* props);

    pw_registry* registry_;
    pw_proxy* proxy_ = nullptr;
    spa_hook hook_{};
    std::function<void(const News&)> told_;
    int volumes_ = 1;                      // channels that have one
    std::optional<std::uint32_t> device_;  // hardware that it belongs to,
    std::optional<int> place_;             // and which of that one's nodes it is
    std::unique_ptr<RouteVolume> route_;
};

}  // namespace reed
