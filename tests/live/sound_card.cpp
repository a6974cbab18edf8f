#include "live/sound_card.h"

#include <spa/param/props.h>
#include <spa/param/route.h>
#include <spa/pod/builder.h>
#include <spa/pod/iter.h>

#include <catch2/catch.hpp>
#include <chrono>

namespace reed::test {
namespace {

const spa_pod* told(spa_pod_builder& b, const DeviceRoute& route) {
    spa_pod_frame frame{};
    spa_pod_builder_push_object(&b, &frame, SPA_TYPE_OBJECT_ParamRoute, SPA_PARAM_Route);
    spa_pod_builder_prop(&b, SPA_PARAM_ROUTE_index, 0);
    spa_pod_builder_int(&b, route.index);
    spa_pod_builder_prop(&b, SPA_PARAM_ROUTE_direction, 0);
    spa_pod_builder_id(&b, SPA_DIRECTION_INPUT);
    spa_pod_builder_prop(&b, SPA_PARAM_ROUTE_device, 0);
    spa_pod_builder_int(&b, route.device);
    spa_pod_builder_prop(&b, SPA_PARAM_ROUTE_name, 0);
    spa_pod_builder_string(&b, "microphone");
    return static_cast<const spa_pod*>(spa_pod_builder_pop(&b, &frame));
}

}  // namespace

SoundCard::SoundCard(std::vector<DeviceRoute> routes) : routes_(std::move(routes)) {
    static const spa_device_methods methods = [] {
        spa_device_methods m{};
        m.version = SPA_VERSION_DEVICE_METHODS;
        m.add_listener = [](void* object, spa_hook* listener, const spa_device_events* events, void* data) {
            return static_cast<SoundCard*>(object)->listen(listener, events, data);
        };
        m.sync = [](void* object, int seq) { return static_cast<SoundCard*>(object)->sync(seq); };
        m.enum_params = [](void* object, int seq, uint32_t id, uint32_t index, uint32_t max, const spa_pod*) {
            return static_cast<SoundCard*>(object)->enumerate(seq, id, index, max);
        };
        m.set_param = [](void* object, uint32_t id, uint32_t, const spa_pod* param) {
            return static_cast<SoundCard*>(object)->set(id, param);
        };
        return m;
    }();
    pw_init(nullptr, nullptr);
    spa_hook_list_init(&listeners_);
    device_.iface = SPA_INTERFACE_INIT(SPA_TYPE_INTERFACE_Device, SPA_VERSION_DEVICE, &methods, this);
    loop_ = pw_thread_loop_new("sound card", nullptr);
    REQUIRE(pw_thread_loop_start(loop_) == 0);
    pw_thread_loop_lock(loop_);
    context_ = pw_context_new(pw_thread_loop_get_loop(loop_), nullptr, 0);
    core_ = pw_context_connect(context_, nullptr, 0);
    if (core_ != nullptr) {
        const spa_dict_item items[] = {{PW_KEY_MEDIA_CLASS, "Audio/Device"},
                                       {PW_KEY_DEVICE_NAME, "card"},
                                       {PW_KEY_DEVICE_DESCRIPTION, "Sound card"}};
        const spa_dict props = SPA_DICT_INIT_ARRAY(items);
        exported_ =
            static_cast<pw_proxy*>(pw_core_export(core_, SPA_TYPE_INTERFACE_Device, &props, &device_, 0));
    }
    if (exported_ != nullptr) {
        static const pw_proxy_events events = [] {
            pw_proxy_events e{};
            e.version = PW_VERSION_PROXY_EVENTS;
            e.bound = [](void* data, uint32_t id) {
                auto* card = static_cast<SoundCard*>(data);
                const std::lock_guard lock(card->mutex_);
                card->id_ = id;
                card->news_.notify_all();
            };
            return e;
        }();
        pw_proxy_add_listener(exported_, &bound_, &events, this);
    }
    pw_thread_loop_unlock(loop_);
    REQUIRE(exported_ != nullptr);
    std::unique_lock lock(mutex_);
    REQUIRE(news_.wait_for(lock, std::chrono::minutes(1), [this] { return id_ != 0; }));
}

SoundCard::~SoundCard() {
    pw_thread_loop_lock(loop_);
    if (exported_ != nullptr) {
        spa_hook_remove(&bound_);
        pw_proxy_destroy(exported_);
    }
    if (core_ != nullptr) pw_core_disconnect(core_);
    pw_context_destroy(context_);
    pw_thread_loop_unlock(loop_);
    pw_thread_loop_destroy(loop_);
    pw_deinit();
}

std::optional<SoundCard::Asked> SoundCard::next() {
    std::unique_lock lock(mutex_);
    if (!news_.wait_for(lock, std::chrono::minutes(1), [this] { return !asked_.empty(); })) return {};
    const Asked out = asked_.front();
    asked_.erase(asked_.begin());
    return out;
}

int SoundCard::listen(spa_hook* listener, const spa_device_events* events, void* data) {
    spa_hook_list save{};
    spa_hook_list_isolate(&listeners_, &save, listener, events, data);
    spa_param_info params[] = {SPA_PARAM_INFO(SPA_PARAM_Route, SPA_PARAM_INFO_READWRITE)};
    spa_device_info info = SPA_DEVICE_INFO_INIT();
    info.change_mask = SPA_DEVICE_CHANGE_MASK_PARAMS;
    info.params = params;
    info.n_params = 1;
    spa_hook_list_call(&listeners_, spa_device_events, info, 0, &info);
    spa_hook_list_join(&listeners_, &save);
    return 0;
}

int SoundCard::sync(int seq) {
    spa_hook_list_call(&listeners_, spa_device_events, result, 0, seq, 0, 0, nullptr);
    return 0;
}

int SoundCard::enumerate(int seq, uint32_t id, uint32_t index, uint32_t max) {
    if (id != SPA_PARAM_Route) return 0;
    for (uint32_t i = index; i < routes_.size() && i - index < max; ++i) {
        std::uint8_t memory[512];
        spa_pod_builder b{};
        spa_pod_builder_init(&b, memory, sizeof memory);
        spa_result_device_params one{id, i, i + 1, const_cast<spa_pod*>(told(b, routes_[i]))};
        spa_hook_list_call(&listeners_, spa_device_events, result, 0, seq, 0, SPA_RESULT_TYPE_DEVICE_PARAMS,
                           &one);
    }
    return 0;
}

int SoundCard::set(uint32_t id, const spa_pod* param) {
    const auto route = device_route(param);
    if (id != SPA_PARAM_Route || !route) return -EINVAL;
    Asked asked{*route, {}};
    if (const auto* props = spa_pod_find_prop(param, nullptr, SPA_PARAM_ROUTE_props); props != nullptr)
        asked.volume = system_volume(&props->value);
    if (const auto* save = spa_pod_find_prop(param, nullptr, SPA_PARAM_ROUTE_save); save != nullptr)
        spa_pod_get_bool(&save->value, &asked.saved);
    const std::lock_guard lock(mutex_);
    asked_.push_back(asked);
    news_.notify_all();
    return 0;
}

}  // namespace reed::test
