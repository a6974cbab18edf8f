// The volume of a microphone that belongs to hardware, set where the system's settings set it.
#include <catch2/catch.hpp>
#include <chrono>

#include "devices/pipewire_graph.h"
#include "live/daemon.h"
#include "live/sound_card.h"

using namespace reed;
using namespace reed::test;

namespace {

std::string belongs_to(const SoundCard& card, int place) {
    return "device.id=" + std::to_string(card.id()) + " card.profile.device=" + std::to_string(place);
}

}  // namespace

TEST_CASE("the volume of hardware is set on its device, by the way that the microphone's sound takes",
          "[live]") {
    Daemon daemon;
    SoundCard card({{3, 1}, {5, 4}});
    daemon.add_source("card_mic", "Microphone of a card", "FL FR", 0, belongs_to(card, 4));
    PipeWireGraph graph;
    REQUIRE(graph.settle());
    REQUIRE(graph.set_volume("card_mic", {std::nullopt, -12.0}).ok());
    const auto asked = card.next();
    REQUIRE(asked);
    CHECK(asked->route.index == 5);
    CHECK(asked->route.device == 4);
    CHECK(asked->saved);
    REQUIRE(asked->volume.decibel);
    CHECK(*asked->volume.decibel == Approx(-12.0).margin(0.01));
    CHECK(asked->volume.channels == 2);
    CHECK_FALSE(asked->volume.muted.has_value());
    // What is wished next goes there as well.
    REQUIRE(graph.set_volume("card_mic", {true, 3.0}).ok());
    const auto again = card.next();
    REQUIRE(again);
    CHECK(*again->volume.decibel == Approx(3.0).margin(0.01));
    CHECK(again->volume.muted == true);
    // The source itself is left to the device.
    REQUIRE(graph.settle());
    const auto sources = graph.picture().sources;
    const auto mic = std::ranges::find(sources, "card_mic", &PipeWireNode::name);
    REQUIRE(mic != sources.end());
    CHECK(mic->volume == Approx(0.0).margin(0.01));
    CHECK_FALSE(mic->muted);
}

TEST_CASE("where a device knows no way to the microphone, the volume is set on the source", "[live]") {
    Daemon daemon;
    SoundCard card({{3, 1}});
    daemon.add_source("bare_mic", "Microphone of a bare card", "MONO", 0, belongs_to(card, 4));
    PipeWireGraph graph;
    REQUIRE(graph.settle());
    REQUIRE(graph.set_volume("bare_mic", {std::nullopt, -12.0}).ok());
    const auto volume = [&] {
        for (const auto& s : graph.picture().sources) {
            if (s.name == "bare_mic") return s.volume;
        }
        return 0.0;
    };
    const auto last = std::chrono::steady_clock::now() + std::chrono::minutes(1);
    while (std::abs(volume() + 12.0) > 0.01 && std::chrono::steady_clock::now() < last)
        REQUIRE(graph.settle());
    CHECK(volume() == Approx(-12.0).margin(0.01));
}
