#include "devices/system_volume.h"

#include <spa/param/audio/raw.h>
#include <spa/param/props.h>
#include <spa/param/route.h>
#include <spa/pod/builder.h>
#include <spa/pod/parser.h>

#include <algorithm>
#include <cmath>

namespace reed {
namespace {

/// Mean of the factors in dB, and their number; nothing when they are no numbers.
std::optional<double> mean_decibel(const spa_pod& value, int& channels) {
    if (!spa_pod_is_array(&value)) return {};
    const auto* array = static_cast<const spa_pod_array*>(static_cast<const void*>(&value));
    // The library's macro divides by a size that another program has written.
    if (array->body.child.type != SPA_TYPE_Float || array->body.child.size != sizeof(float)) return {};
    float factors[SPA_AUDIO_MAX_CHANNELS];
    const uint32_t count = spa_pod_copy_array(&value, SPA_TYPE_Float, factors, SPA_AUDIO_MAX_CHANNELS);
    double sum = 0.0;
    for (uint32_t i = 0; i < count; ++i) sum += factors[i];
    if (count == 0 || !std::isfinite(sum) || sum < 0.0) return {};
    channels = static_cast<int>(count);
    return std::max(kNoVolume, 20.0 * std::log10(sum / count));
}

void add_volume(spa_pod_builder& builder, const SystemVolume& volume) {
    if (volume.muted) {
        spa_pod_builder_prop(&builder, SPA_PROP_mute, 0);
        spa_pod_builder_bool(&builder, *volume.muted);
    }
    if (!volume.decibel) return;
    const double db = std::clamp(*volume.decibel, kNoVolume, kMostVolume);
    const auto channels = static_cast<uint32_t>(std::clamp<int>(volume.channels, 1, SPA_AUDIO_MAX_CHANNELS));
    float factors[SPA_AUDIO_MAX_CHANNELS];
    std::fill_n(factors, channels, db <= kNoVolume ? 0.0f : static_cast<float>(std::pow(10.0, db / 20.0)));
    spa_pod_builder_prop(&builder, SPA_PROP_channelVolumes, 0);
    spa_pod_builder_array(&builder, sizeof(float), SPA_TYPE_Float, channels, factors);
}

}  // namespace

SystemVolume system_volume(const spa_pod* props) noexcept {
    SystemVolume out;
    if (props == nullptr || !spa_pod_is_object(props)) return out;
    const auto* object = static_cast<const spa_pod_object*>(static_cast<const void*>(props));
    const spa_pod_prop* p = nullptr;
    SPA_POD_OBJECT_FOREACH(object, p) {
        bool muted = false;
        if (p->key == SPA_PROP_mute && spa_pod_get_bool(&p->value, &muted) == 0) out.muted = muted;
        if (p->key == SPA_PROP_channelVolumes) out.decibel = mean_decibel(p->value, out.channels);
    }
    return out;
}

const spa_pod* volume_props(spa_pod_builder& builder, const SystemVolume& volume) {
    spa_pod_frame frame{};
    spa_pod_builder_push_object(&builder, &frame, SPA_TYPE_OBJECT_Props, SPA_PARAM_Props);
    add_volume(builder, volume);
    return static_cast<const spa_pod*>(spa_pod_builder_pop(&builder, &frame));
}

std::optional<DeviceRoute> device_route(const spa_pod* route) noexcept {
    if (route == nullptr || !spa_pod_is_object(route)) return {};
    const auto* object = static_cast<const spa_pod_object*>(static_cast<const void*>(route));
    if (object->body.type != SPA_TYPE_OBJECT_ParamRoute) return {};
    DeviceRoute out;
    bool index = false, device = false;
    const spa_pod_prop* p = nullptr;
    SPA_POD_OBJECT_FOREACH(object, p) {
        if (p->key == SPA_PARAM_ROUTE_index) index = spa_pod_get_int(&p->value, &out.index) == 0;
        if (p->key == SPA_PARAM_ROUTE_device) device = spa_pod_get_int(&p->value, &out.device) == 0;
    }
    if (!index || !device) return {};
    return out;
}

const spa_pod* volume_route(spa_pod_builder& builder, const DeviceRoute& route, const SystemVolume& volume) {
    spa_pod_frame frame{}, props{};
    spa_pod_builder_push_object(&builder, &frame, SPA_TYPE_OBJECT_ParamRoute, SPA_PARAM_Route);
    spa_pod_builder_prop(&builder, SPA_PARAM_ROUTE_index, 0);
    spa_pod_builder_int(&builder, route.index);
    spa_pod_builder_prop(&builder, SPA_PARAM_ROUTE_device, 0);
    spa_pod_builder_int(&builder, route.device);
    spa_pod_builder_prop(&builder, SPA_PARAM_ROUTE_props, 0);
    spa_pod_builder_push_object(&builder, &props, SPA_TYPE_OBJECT_Props, SPA_PARAM_Route);
    add_volume(builder, volume);
    spa_pod_builder_pop(&builder, &props);
    spa_pod_builder_prop(&builder, SPA_PARAM_ROUTE_save, 0);
    spa_pod_builder_bool(&builder, true);
    return static_cast<const spa_pod*>(spa_pod_builder_pop(&builder, &frame));
}

}  // namespace reed
