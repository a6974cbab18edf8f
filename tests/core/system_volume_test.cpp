// A source's volume as another program wrote it into the daemon.
#include <spa/param/props.h>
#include <spa/param/route.h>
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

TEST_CASE("a volume that is set is read back as it was, on every channel and in its range") {
    std::uint8_t memory[1024];
    const auto written = [&](const SystemVolume& v) {
        spa_pod_builder b{};
        spa_pod_builder_init(&b, memory, sizeof memory);
        return system_volume(volume_props(b, v));
    };
    const SystemVolume half = written({std::nullopt, -6.0, 2});
    CHECK(*half.decibel == Approx(-6.0).margin(1e-4));
    CHECK(half.channels == 2);
    CHECK_FALSE(half.muted.has_value());
    CHECK(written({true, std::nullopt, 2}).muted == true);
    CHECK_FALSE(written({true, std::nullopt, 2}).decibel.has_value());
    CHECK(*written({std::nullopt, 90.0, 1}).decibel == Approx(kMostVolume).margin(1e-4));
    CHECK(*written({std::nullopt, -200.0, 1}).decibel == kNoVolume);
    CHECK(written({std::nullopt, 0.0, 0}).channels == 1);
    CHECK(written({std::nullopt, 0.0, 1000}).channels == 64);
    // No room for it: nothing is made, and nothing is written beyond.
    spa_pod_builder small{};
    spa_pod_builder_init(&small, memory, 16);
    CHECK(volume_props(small, {std::nullopt, 0.0, 2}) == nullptr);
}

TEST_CASE("of a device the way its sound takes is read, and its volume set on that one") {
    std::uint8_t memory[1024];
    spa_pod_builder b{};
    spa_pod_builder_init(&b, memory, sizeof memory);
    const spa_pod* made = volume_route(b, {5, 2}, {std::nullopt, -12.0, 2});
    REQUIRE(made != nullptr);
    const auto back = device_route(made);
    REQUIRE(back.has_value());
    CHECK(back->index == 5);
    CHECK(back->device == 2);
    const spa_pod_prop* props = spa_pod_find_prop(made, nullptr, SPA_PARAM_ROUTE_props);
    REQUIRE(props != nullptr);
    CHECK(*system_volume(&props->value).decibel == Approx(-12.0).margin(1e-4));
    const spa_pod_prop* save = spa_pod_find_prop(made, nullptr, SPA_PARAM_ROUTE_save);
    bool saved = false;
    REQUIRE(save != nullptr);
    CHECK(spa_pod_get_bool(&save->value, &saved) == 0);
    CHECK(saved);
    // Anything else is no such way.
    CHECK_FALSE(device_route(nullptr).has_value());
    CHECK_FALSE(device_route(Props().mute(true).done()).has_value());
}
