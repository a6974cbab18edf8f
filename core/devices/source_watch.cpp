#include "devices/source_watch.h"

#include <spa/pod/builder.h>

#include <charconv>

#include "devices/pipewire_connection.h"
#include "devices/pipewire_metadata.h"

namespace reed {
namespace {

std::optional<int> number(const spa_dict* props, const char* key) {
    const std::string text = property(props, key);
    int out = 0;
    const char* end = text.data() + text.size();
    const bool whole = !text.empty() && std::from_chars(text.data(), end, out).ptr == end;
    return whole ? std::optional(out) : std::nullopt;
}

}  // namespace

SourceWatch::SourceWatch(pw_registry* registry, std::uint32_t node, std::function<void(const News&)> told)
    : registry_(registry), told_(std::move(told)) {
    static const pw_node_events events = [] {
        pw_node_events e{};
        e.version = PW_VERSION_NODE_EVENTS;
        e.info = [](void* data, const pw_node_info* info) {
            const bool news = (info->change_mask & PW_NODE_CHANGE_MASK_PROPS) != 0;
            if (news && info->props != nullptr) static_cast<SourceWatch*>(data)->properties_told(info->props);
        };
        e.param = [](void* data, int, uint32_t, uint32_t, uint32_t, const spa_pod* props) {
            static_cast<SourceWatch*>(data)->volume_told(props);
        };
        return e;
    }();
    void* bound = pw_registry_bind(registry, node, PW_TYPE_INTERFACE_Node, PW_VERSION_NODE, 0);
    proxy_ = static_cast<pw_proxy*>(bound);
    if (bound == nullptr) return;
    auto* source = static_cast<pw_node*>(bound);
    pw_node_add_listener(source, &hook_, &events, this);
    uint32_t wanted[] = {SPA_PARAM_Props};
    pw_node_subscribe_params(source, wanted, 1);
}

SourceWatch::~SourceWatch() {
    if (proxy_ == nullptr) return;
    spa_hook_remove(&hook_);
    pw_proxy_destroy(proxy_);
}

void SourceWatch::properties_told(const spa_dict* props) {
    place_ = number(props, "card.profile.device");
    const auto device = number(props, PW_KEY_DEVICE_ID);
    device_ = device && *device >= 0 ? std::optional(static_cast<std::uint32_t>(*device)) : std::nullopt;
    told_({channel_names(property(props, "audio.position").c_str()), {}});
}

void SourceWatch::volume_told(const spa_pod* props) {
    const SystemVolume news = system_volume(props);
    if (news.channels > 0) volumes_ = news.channels;
    told_({std::nullopt, news});
}

void SourceWatch::set(const SystemVolume& wanted) {
    if (proxy_ == nullptr) return;
    SystemVolume all = wanted;
    all.channels = volumes_;
    if (device_ && place_) {
        route_ =
            std::make_unique<RouteVolume>(registry_, *device_, *place_, all, [this, all] { set_here(all); });
        return;
    }
    set_here(all);
}

void SourceWatch::set_here(const SystemVolume& wanted) {
    std::uint8_t memory[1024];
    spa_pod_builder builder{};
    spa_pod_builder_init(&builder, memory, sizeof memory);
    void* bound = proxy_;
    auto* source = static_cast<pw_node*>(bound);
    const spa_pod* volume = volume_props(builder, wanted);
    pw_node_set_param(source, SPA_PARAM_Props, 0, volume);
}

}  // namespace reed
