// MIDI devices against a real PipeWire daemon.
#include <poll.h>

#include <algorithm>

#include "devices/midi_ports.h"
#include "live/daemon.h"
#include "live/midi_device.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Whether a condition comes true within a minute.
template <typename Condition>
bool until(MidiPorts& ports, const Condition& condition) {
    for (int i = 0; i < 1200; ++i) {
        if (condition()) return true;
        pollfd wake{ports.descriptor(), POLLIN, 0};
        ::poll(&wake, 1, 50);
        ports.acknowledge();
        ports.tend();
    }
    return condition();
}

/// The next `count` messages.
std::vector<MidiEvent> receive(MidiPorts& ports, size_t count) {
    std::vector<MidiEvent> out;
    MidiEvent event;
    (void)until(ports, [&] {
        while (ports.next(event)) out.push_back(event);
        return out.size() >= count;
    });
    return out;
}

using Names = std::vector<std::string>;

/// They come at the same time, in any order.
Names sorted(Names names) {
    std::ranges::sort(names);
    return names;
}

using Kind = MidiMessage::Kind;

}  // namespace

TEST_CASE("messages of a MIDI device arrive with its name, however they are cut into pieces",
          "[live][midi]") {
    const Daemon daemon;
    MidiDevice pad("Pad");
    MidiPorts ports;
    CHECK_FALSE(ports.available());
    ports.want(true, {});
    REQUIRE(until(ports, [&] { return ports.connected() == Names{"Pad"}; }));
    // Running status, a clock inside a message, a message cut in two, and one behind a system-exclusive
    // message that never ends.
    pad.send({{0x90, 36, 100, 36, 0}, {0xb1, 21, 0xf8, 64}, {0xb1, 22}, {127}, {0xf0, 1, 2, 3}, {0xc2, 5}});
    const auto got = receive(ports, 5);
    REQUIRE(got.size() == 5);
    const MidiMessage expected[] = {{Kind::note_on, 1, 36, 100},
                                    {Kind::note_off, 1, 36, 0},
                                    {Kind::controller, 2, 21, 64},
                                    {Kind::controller, 2, 22, 127},
                                    {Kind::program, 3, 5, 0}};
    for (size_t i = 0; i < 5; ++i) {
        CHECK(got[i].device == "Pad");
        CHECK(got[i].message == expected[i]);
    }
}

TEST_CASE("MIDI devices are told apart, chosen by name, and taken up when they come back", "[live][midi]") {
    Daemon daemon;
    auto first = std::make_unique<MidiDevice>("Pad");
    MidiPorts ports;
    ports.want(false, {"Pad", "Pedal"});
    REQUIRE(until(ports, [&] { return ports.connected() == Names{"Pad"}; }));
    MidiDevice second("Pad"), pedal("Pedal"), other("Other");
    REQUIRE(until(ports, [&] {
        return sorted(ports.devices()) == Names{"Other", "Pad", "Pad (2)", "Pedal"};
    }));
    REQUIRE(until(ports, [&] { return sorted(ports.connected()) == Names{"Pad", "Pedal"}; }));
    second.send({{0x90, 1, 1}});
    other.send({{0x90, 2, 2}});
    pedal.send({{0x90, 3, 3}});
    const auto got = receive(ports, 1);
    REQUIRE(got.size() == 1);
    CHECK(got[0].device == "Pedal");
    // The first goes: the other one of the kind has its name now.
    first.reset();
    REQUIRE(until(ports, [&] { return sorted(ports.devices()) == Names{"Other", "Pad", "Pedal"}; }));
    REQUIRE(until(ports, [&] { return sorted(ports.connected()) == Names{"Pad", "Pedal"}; }));

    ports.want(false, {});
    CHECK(ports.devices().empty());
    CHECK_FALSE(ports.available());
}

TEST_CASE("MIDI devices are found again after a restart of PipeWire", "[live][midi]") {
    Daemon daemon;
    MidiPorts ports;
    ports.want(true, {});
    {
        const MidiDevice pad("Pad");
        REQUIRE(until(ports, [&] { return ports.connected() == Names{"Pad"}; }));
        daemon.stop();
        REQUIRE(until(ports, [&] { return ports.devices().empty(); }));
    }
    daemon.start_again();
    MidiDevice pad("Pad");
    REQUIRE(until(ports, [&] { return ports.connected() == Names{"Pad"}; }));
    pad.send({{0xb0, 7, 100}});
    const auto got = receive(ports, 1);
    REQUIRE(got.size() == 1);
    CHECK(got[0].message == MidiMessage{Kind::controller, 1, 7, 100});
}

TEST_CASE("a MIDI device with lamps is sent messages, one without isn't", "[live][midi]") {
    const Daemon daemon;
    MidiDevice deck("Deck", true), pad("Pad");
    MidiPorts ports;
    ports.want(true, {});
    REQUIRE(until(ports, [&] { return sorted(ports.connected()) == Names{"Deck", "Pad"}; }));
    const MidiMessage lamp{Kind::note_on, 2, 36, 127};
    CHECK_FALSE(ports.send("Pad", lamp));
    CHECK_FALSE(ports.send("Nothing", lamp));
    std::vector<std::uint8_t> got;
    // Its input may be linked a moment after its output.
    REQUIRE(until(ports, [&] { return ports.send("Deck", lamp); }));
    REQUIRE(until(ports, [&] {
        const auto more = deck.take();
        got.insert(got.end(), more.begin(), more.end());
        return got.size() >= 3;
    }));
    CHECK(got == std::vector<std::uint8_t>{0x91, 36, 127});
}

TEST_CASE("the name of a MIDI device has a length that files can hold", "[live][midi]") {
    const Daemon daemon;
    std::string long_name = "abcd";
    for (int i = 0; i < 100; ++i) long_name += "€uro";
    const MidiDevice deck(long_name);
    MidiPorts ports;
    ports.want(true, {});
    REQUIRE(until(ports, [&] { return ports.connected().size() == 1; }));
    // Cut between characters: at 120 it would be inside a euro sign.
    CHECK(ports.devices() == Names{long_name.substr(0, 118)});
    ports.want(false, {long_name.substr(0, 118)});
    CHECK(until(ports, [&] { return ports.connected().size() == 1; }));
}

TEST_CASE("no MIDI message is lost however many come", "[live][midi]") {
    const Daemon daemon;
    MidiDevice deck("Deck");
    MidiPorts ports;
    ports.want(true, {});
    REQUIRE(until(ports, [&] { return ports.connected() == Names{"Deck"}; }));
    constexpr size_t kMany = 10'000;
    std::vector<std::vector<std::uint8_t>> pieces;
    for (size_t i = 0; i < kMany; ++i)
        pieces.push_back(
            {0xb0, static_cast<std::uint8_t>(i / 128 % 128), static_cast<std::uint8_t>(i % 128)});
    // A machine that leaves out a cycle of the daemon loses all that was sent in it, whoever listens: a cycle
    // may be missing as a whole, twice, but never a part of one.
    constexpr size_t kPerCycle = 16;  // of the device, see midi_device.cpp
    bool whole = false;
    for (int attempt = 0; attempt < 3 && !whole; ++attempt) {
        deck.send(pieces);
        const auto got = receive(ports, kMany);
        std::vector<size_t> of_cycle(kMany / kPerCycle, 0);
        int before = -1;
        bool in_order = true;
        for (const auto& one : got) {
            const int number = 128 * one.message.number + one.message.value;
            in_order = in_order && number > before;
            before = number;
            ++of_cycle.at(static_cast<size_t>(number) / kPerCycle);
        }
        CHECK(in_order);
        CHECK(std::ranges::all_of(of_cycle, [](size_t n) { return n == 0 || n == kPerCycle; }));
        whole = got.size() == kMany;
    }
    CHECK(whole);
}
