#include "devices/system_volume.h"

#include <spa/param/audio/raw.h>
#include <spa/param/props.h>
#include <spa/pod/iter.h>

#include <algorithm>
#include <cmath>

namespace reed {
namespace {

/// Mean of the factors in dB; nothing when they are no numbers.
std::optional<double> mean_decibel(const spa_pod& value) {
    if (!spa_pod_is_array(&value)) return {};
    const auto* array = static_cast<const spa_pod_array*>(static_cast<const void*>(&value));
    // The library's macro divides by a size that another program has written.
    if (array->body.child.type != SPA_TYPE_Float || array->body.child.size != sizeof(float)) return {};
    float factors[SPA_AUDIO_MAX_CHANNELS];
    const uint32_t count = spa_pod_copy_array(&value, SPA_TYPE_Float, factors, SPA_AUDIO_MAX_CHANNELS);
    double sum = 0.0;
    for (uint32_t i = 0; i < count; ++i) sum += factors[i];
    if (count == 0 || !std::isfinite(sum) || sum < 0.0) return {};
    return std::max(kNoVolume, 20.0 * std::log10(sum / count));
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
        if (p->key == SPA_PROP_channelVolumes) out.decibel = mean_decibel(p->value);
    }
    return out;
}

}  // namespace reed
