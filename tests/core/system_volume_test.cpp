// A source's volume as another program wrote it into the daemon.
#include <spa/param/props.h>
#include <spa/pod/builder.h>

#include <catch2/catch.hpp>
#include <cmath>
#include <limits>

#include "devices/system_volume.h"

using namespace reed;

namespace {

struct Props {
    std::uint8_t memory[1024] = {};
    spa_pod_builder b{};
    spa_pod_frame frame{};
    Props() {
        spa_pod_builder_init(&b, memory, sizeof memory);
        spa_pod_builder_push_object(&b, &frame, SPA_TYPE_OBJECT_Props, SPA_PARAM_Props);
    }
    Props& mute(bool on) {
        spa_pod_builder_prop(&b, SPA_PROP_mute, 0);
        spa_pod_builder_bool(&b, on);
        return *this;
    }
    Props& volumes(const std::vector<float>& v) {
        spa_pod_builder_prop(&b, SPA_PROP_channelVolumes, 0);
        spa_pod_builder_array(&b, sizeof(float), SPA_TYPE_Float, static_cast<uint32_t>(v.size()), v.data());
        return *this;
    }
    const spa_pod* done() { return static_cast<const spa_pod*>(spa_pod_builder_pop(&b, &frame)); }
};

}  // namespace

TEST_CASE("mute and volume are read as the mean of the channels in dB") {
    const auto both = system_volume(Props().mute(true).volumes({0.5f, 0.5f}).done());
    CHECK(both.muted == true);
    REQUIRE(both.decibel);
    CHECK(*both.decibel == Approx(-6.02).margin(0.01));
    CHECK(*system_volume(Props().volumes({2.0f, 0.0f}).done()).decibel == Approx(0.0).margin(0.001));
    CHECK(*system_volume(Props().volumes({0.0f}).done()).decibel == kNoVolume);
    const auto mute_only = system_volume(Props().mute(false).done());
    CHECK(mute_only.muted == false);
    CHECK_FALSE(mute_only.decibel);
}

TEST_CASE("what another program may have written instead is left out") {
    CHECK_FALSE(system_volume(nullptr).muted);
    const auto nothing = [](const SystemVolume& v) { return !v.muted && !v.decibel; };
    CHECK(nothing(system_volume(Props().volumes({}).done())));
    CHECK(nothing(system_volume(Props().volumes({std::numeric_limits<float>::quiet_NaN()}).done())));
    CHECK(nothing(system_volume(Props().volumes({-1.0f}).done())));
    // Of other types, and arrays whose elements have another size than theirs.
    Props odd;
    spa_pod_builder_prop(&odd.b, SPA_PROP_mute, 0);
    spa_pod_builder_string(&odd.b, "yes");
    spa_pod_builder_prop(&odd.b, SPA_PROP_channelVolumes, 0);
    spa_pod_builder_int(&odd.b, 7);
    CHECK(nothing(system_volume(odd.done())));
    Props empty;
    spa_pod_builder_prop(&empty.b, SPA_PROP_channelVolumes, 0);
    const float none[2] = {1.0f, 1.0f};
    spa_pod_builder_array(&empty.b, 0, SPA_TYPE_Float, 0, none);
    CHECK(nothing(system_volume(empty.done())));
    Props wide;
    spa_pod_builder_prop(&wide.b, SPA_PROP_channelVolumes, 0);
    spa_pod_builder_array(&wide.b, 2 * sizeof(float), SPA_TYPE_Float, 1, none);
    CHECK(nothing(system_volume(wide.done())));
    spa_pod plain{0, SPA_TYPE_None};
    CHECK(nothing(system_volume(&plain)));
}
