#include "devices/route_volume.h"

#include <pipewire/device.h>
#include <spa/pod/builder.h>

namespace reed {

RouteVolume::RouteVolume(pw_registry* registry, std::uint32_t device, int place, const SystemVolume& wanted,
                         std::function<void()> without)
    : without_(std::move(without)), place_(place), wanted_(wanted) {
    static const pw_device_events events = [] {
        pw_device_events e{};
        e.version = PW_VERSION_DEVICE_EVENTS;
        e.param = [](void* data, int, uint32_t id, uint32_t, uint32_t, const spa_pod* param) {
            if (id == SPA_PARAM_Route) static_cast<RouteVolume*>(data)->told(param);
        };
        return e;
    }();
    static const pw_proxy_events answers = [] {
        pw_proxy_events e{};
        e.version = PW_VERSION_PROXY_EVENTS;
        e.done = [](void* data, int) { static_cast<RouteVolume*>(data)->end(); };
        e.error = [](void* data, int, int, const char*) { static_cast<RouteVolume*>(data)->end(); };
        return e;
    }();
    void* bound = pw_registry_bind(registry, device, PW_TYPE_INTERFACE_Device, PW_VERSION_DEVICE, 0);
    device_ = static_cast<pw_proxy*>(bound);
    if (bound == nullptr) {
        end();
        return;
    }
    auto* there = static_cast<pw_device*>(bound);
    pw_device_add_listener(there, &hook_, &events, this);
    pw_proxy_add_listener(device_, &end_hook_, &answers, this);
    pw_device_enum_params(there, 0, SPA_PARAM_Route, 0, UINT32_MAX, nullptr);
    // Complete when all routes were reported.
    pw_proxy_sync(device_, 0);
}

RouteVolume::~RouteVolume() {
    if (device_ == nullptr) return;
    spa_hook_remove(&hook_);
    spa_hook_remove(&end_hook_);
    pw_proxy_destroy(device_);
}

void RouteVolume::end() {
    if (done_) return;
    done_ = true;
    without_();
}

void RouteVolume::told(const spa_pod* param) {
    const auto route = device_route(param);
    if (done_ || !route || route->device != place_) return;
    done_ = true;
    std::uint8_t memory[1024];
    spa_pod_builder builder{};
    spa_pod_builder_init(&builder, memory, sizeof memory);
    void* bound = device_;
    auto* device = static_cast<pw_device*>(bound);
    const spa_pod* volume = volume_route(builder, *route, wanted_);
    pw_device_set_param(device, SPA_PARAM_Route, 0, volume);
}

}  // namespace reed
