// MIDI: bytes, controls, codings, and the file of assignments. The bytes are those of the MIDI 1.0 Detailed
// Specification 4.2 (table II "Channel voice messages", "Running status", "System real time messages").
#include <catch2/catch.hpp>

#include "midi/assignments.h"
#include "midi/control.h"
#include "midi/message.h"

using namespace reed;
using Kind = MidiMessage::Kind;
using Control = MidiControl::Kind;

namespace {

std::vector<MidiMessage> parse(const std::vector<int>& bytes) {
    MidiParser parser;
    std::vector<MidiMessage> out;
    for (const int b : bytes) {
        if (const auto m = parser.push(static_cast<std::uint8_t>(b))) out.push_back(*m);
    }
    return out;
}

MidiMessage controller(int number, int value, int channel = 1) {
    return {Kind::controller, static_cast<std::uint8_t>(channel), static_cast<std::uint8_t>(number),
            static_cast<std::uint16_t>(value)};
}

std::optional<MidiLearner::Learned> learn(bool positions, const std::vector<MidiMessage>& messages) {
    MidiLearner learner(positions);
    for (const MidiMessage& m : messages) {
        if (const auto learned = learner.push(m)) return learned;
    }
    return std::nullopt;
}

/// A controller that sends these values.
std::optional<MidiLearner::Learned> learn_controller(const std::vector<int>& values) {
    std::vector<MidiMessage> all;
    for (const int v : values) all.push_back(controller(21, v));
    return learn(true, all);
}

}  // namespace

TEST_CASE("MIDI bytes of every channel message are read", "[midi]") {
    using Messages = std::vector<MidiMessage>;
    CHECK(parse({0x80, 60, 64}) == Messages{{Kind::note_off, 1, 60, 64}});
    CHECK(parse({0x9f, 60, 100}) == Messages{{Kind::note_on, 16, 60, 100}});
    CHECK(parse({0x90, 60, 0}) == Messages{{Kind::note_off, 1, 60, 0}});
    CHECK(parse({0xa1, 60, 5}) == Messages{{Kind::key_pressure, 2, 60, 5}});
    CHECK(parse({0xb2, 7, 127}) == Messages{{Kind::controller, 3, 7, 127}});
    CHECK(parse({0xc3, 12}) == Messages{{Kind::program, 4, 12, 0}});
    CHECK(parse({0xd4, 99}) == Messages{{Kind::channel_pressure, 5, 0, 99}});
    // Least significant byte first; the centre is 2000H.
    CHECK(parse({0xe5, 0x00, 0x40}) == Messages{{Kind::pitch_bend, 6, 0, 0x2000}});
    CHECK(parse({0xe5, 0x7f, 0x7f}) == Messages{{Kind::pitch_bend, 6, 0, 16383}});
}

TEST_CASE("running status, real-time and system-exclusive bytes are read as the standard says", "[midi]") {
    using Messages = std::vector<MidiMessage>;
    CHECK(parse({0xb0, 1, 2, 3, 4}) == Messages{controller(1, 2), controller(3, 4)});
    // Real-time bytes stand anywhere and don't end running status.
    CHECK(parse({0xb0, 0xf8, 1, 0xfe, 2, 0xfa, 3, 4}) == Messages{controller(1, 2), controller(3, 4)});
    // Exclusive and common messages end it; what follows without a status byte is ignored.
    CHECK(parse({0xb0, 1, 2, 0xf0, 1, 2, 3, 0xf7, 5, 6, 0xb0, 7, 8}) ==
          Messages{controller(1, 2), controller(7, 8)});
    CHECK(parse({0xb0, 1, 0xf3, 5, 2, 3}).empty());
    // One that never ends is ended by the next status byte.
    std::vector<int> endless(5000, 0x11);
    endless.insert(endless.begin(), 0xf0);
    endless.insert(endless.end(), {0xb0, 1, 2});
    CHECK(parse(endless) == Messages{controller(1, 2)});
    CHECK(parse({1, 2, 3}).empty());
    // A new status byte drops an unfinished message.
    CHECK(parse({0xb0, 1, 0x91, 2, 3}) == Messages{{Kind::note_on, 2, 2, 3}});
}

TEST_CASE("MIDI messages survive being written and read", "[midi]") {
    for (const Kind kind : {Kind::note_off, Kind::note_on, Kind::key_pressure, Kind::controller,
                            Kind::program, Kind::channel_pressure, Kind::pitch_bend}) {
        MidiMessage m{kind, 9, 55, 77};
        if (kind == Kind::pitch_bend) m = {kind, 9, 0, 12345};
        if (kind == Kind::channel_pressure) m.number = 0;
        if (kind == Kind::program) m.value = 0;
        const auto bytes = midi_bytes(m);
        CHECK(parse({bytes.span().begin(), bytes.span().end()}) == std::vector{m});
    }
    // Out of range: limited, so that no status byte gets among the data.
    const auto limited = midi_bytes({Kind::controller, 99, 200, 1000});
    CHECK(limited.bytes == std::array<std::uint8_t, 3>{0xbf, 127, 127});
    CHECK(midi_bytes({Kind::pitch_bend, 1, 0, 65535}).bytes == std::array<std::uint8_t, 3>{0xe0, 127, 127});
}

TEST_CASE("steps of the relative codings", "[midi]") {
    // Common practice, no source.
    CHECK(relative_steps(MidiCoding::twos_complement, 1) == 1);
    CHECK(relative_steps(MidiCoding::twos_complement, 63) == 63);
    CHECK(relative_steps(MidiCoding::twos_complement, 64) == -64);
    CHECK(relative_steps(MidiCoding::twos_complement, 127) == -1);
    CHECK(relative_steps(MidiCoding::offset, 65) == 1);
    CHECK(relative_steps(MidiCoding::offset, 64) == 0);
    CHECK(relative_steps(MidiCoding::offset, 60) == -4);
    CHECK(relative_steps(MidiCoding::sign_magnitude, 3) == 3);
    CHECK(relative_steps(MidiCoding::sign_magnitude, 67) == -3);
    CHECK(relative_steps(MidiCoding::sign_magnitude, 64) == 0);
    CHECK(relative_steps(MidiCoding::absolute, 100) == 0);
}

TEST_CASE("14-bit controllers are put together from their halves", "[midi]") {
    MidiDecoder decoder;
    const MidiControl fine{Control::controller_14_bit, 1, 7};
    CHECK(decoder.read(controller(39, 5)).size() == 1);  // its coarse half has not come yet
    auto moves = decoder.read(controller(7, 64));
    REQUIRE(moves.size() == 2);
    CHECK(moves[0].control == MidiControl{Control::controller, 1, 7});
    CHECK(moves[1] == MidiMove{fine, 8192.0 / 16383.0, 8192, true});
    moves = decoder.read(controller(39, 1));
    REQUIRE(moves.size() == 2);
    CHECK(moves[1].value == 8193);
    // A new coarse value sets the fine one to 0 ("Control change": MSB and LSB).
    CHECK(decoder.read(controller(7, 65))[1].value == 65 * 128);
    CHECK(decoder.read(controller(39, 127))[1].value == 65 * 128 + 127);
    // Of another channel: not its half.
    CHECK(decoder.read(controller(39, 3, 2)).size() == 1);
    CHECK(decoder.read(controller(64, 127)).size() == 1);
    CHECK(decoder.read({Kind::channel_pressure, 1, 0, 5}).empty());
}

TEST_CASE("a knob takes a value over where it meets it", "[midi]") {
    SoftTakeover knob;
    CHECK_FALSE(knob.moved(0.1, 0.5));
    CHECK_FALSE(knob.moved(0.3, 0.5));
    CHECK(knob.moved(0.6, 0.5));  // passed it
    knob.set_to(0.6);
    CHECK(knob.moved(0.9, 0.6));
    knob.set_to(0.9);
    // The value is changed elsewhere: the knob sets it again only when it is near.
    CHECK_FALSE(knob.moved(0.8, 0.2));
    CHECK_FALSE(knob.moved(0.4, 0.2));
    CHECK(knob.moved(0.21, 0.2));
    // A value that rounds is where it was left, not where the knob is.
    knob.set_to(0.25);
    CHECK(knob.moved(0.24, 0.25));
    // What has met the value sets it, also if another position follows before it was set.
    SoftTakeover quick;
    CHECK_FALSE(quick.moved(0.1, 0.5));
    CHECK(quick.moved(0.7, 0.5));
    CHECK(quick.moved(0.9, 0.5));
    // The first position may be right by chance.
    SoftTakeover other;
    CHECK(other.moved(0.5, 0.5 + SoftTakeover::kNear));
}

TEST_CASE("what is moved is learnt, with its coding", "[midi]") {
    const auto coding = [](const std::vector<int>& values) {
        const auto learned = learn_controller(values);
        REQUIRE(learned);
        CHECK(learned->control == MidiControl{Control::controller, 1, 21});
        return learned->coding;
    };
    CHECK(coding({10, 12, 15, 20}) == MidiCoding::absolute);
    CHECK(coding({1, 2, 3, 4}) == MidiCoding::absolute);      // from its lower end
    CHECK(coding({64, 65, 66, 67}) == MidiCoding::absolute);  // through its middle
    CHECK(coding({1, 1, 1, 2}) == MidiCoding::twos_complement);
    CHECK(coding({1, 1, 127, 1}) == MidiCoding::twos_complement);
    CHECK(coding({65, 65, 65, 66}) == MidiCoding::offset);
    CHECK(coding({65, 65, 63, 63}) == MidiCoding::offset);
    CHECK(coding({1, 1, 65, 65}) == MidiCoding::sign_magnitude);
    CHECK_FALSE(learn_controller({10, 12, 15}));

    // 14 bits: both halves come.
    const auto fine = learn(true, {controller(7, 10), controller(39, 3), controller(7, 10), controller(39, 9),
                                   controller(7, 11), controller(39, 0), controller(7, 12)});
    REQUIRE(fine);
    CHECK(fine->control == MidiControl{Control::controller_14_bit, 1, 7});
    // Values take no notes, actions take the first press.
    CHECK_FALSE(learn(true, {{Kind::note_on, 1, 36, 100}, {Kind::program, 1, 3, 0}}));
    const auto note = learn(false, {{Kind::note_off, 1, 36, 0}, {Kind::note_on, 10, 36, 100}});
    REQUIRE(note);
    CHECK(note->control == MidiControl{Control::note, 10, 36});
    const auto pedal = learn(false, {controller(64, 0), controller(64, 127)});
    REQUIRE(pedal);
    CHECK(pedal->control == MidiControl{Control::controller, 1, 64});
    const auto bend = learn(true, std::vector<MidiMessage>(4, {Kind::pitch_bend, 1, 0, 9000}));
    REQUIRE(bend);
    CHECK(bend->control.kind == Control::pitch_bend);
}

TEST_CASE("controls have names that are read again", "[midi]") {
    for (const auto& [control, name] : std::vector<std::pair<MidiControl, std::string>>{
             {{Control::note, 1, 36}, "note 36"},
             {{Control::controller, 16, 127}, "controller 127"},
             {{Control::controller_14_bit, 2, 31}, "14-bit controller 31"},
             {{Control::program, 3, 0}, "program 0"},
             {{Control::pitch_bend, 4, 0}, "pitch bend"}}) {
        CHECK(to_text(control) == name);
        CHECK(parse_midi_control(name, control.channel) == control);
    }
    for (const char* wrong : {"", "note", "note ", "note 128", "note -1", "note 3x", "14-bit controller 32",
                              "pitch bend 1", "knob 3", "notes 3"}) {
        INFO(wrong);
        CHECK_FALSE(parse_midi_control(wrong, 1));
    }
    CHECK_FALSE(parse_midi_control("note 1", 0));
    CHECK_FALSE(parse_midi_control("note 1", 17));
    CHECK(parse_midi_coding("offset") == MidiCoding::offset);
    CHECK_FALSE(parse_midi_coding("relative"));
}

TEST_CASE("MIDI assignments are written and read", "[midi]") {
    const MidiDeviceAssignments all{
        "Pad: port “1”",
        {{{Control::note, 10, 36}, MidiCoding::absolute, "scene 3", ""},
         {{Control::controller, 1, 21}, MidiCoding::sign_magnitude, "", "voice/gate/hold"},
         {{Control::controller_14_bit, 1, 7}, MidiCoding::absolute, "", "*/strip/fader"},
         {{Control::pitch_bend, 2, 0}, MidiCoding::absolute, "", "voice/strip/fader"}}};
    const auto read = parse_midi_file(write_midi_file(all));
    REQUIRE(read.ok());
    CHECK(read.value().assignments == all);
    CHECK(read.value().left_out.empty());
}

TEST_CASE("MIDI files that can't be used say why, and what can be used of them is", "[midi]") {
    const auto problem = [](const std::string& json) {
        const auto read = parse_midi_file(json);
        return read.ok() ? std::string("read") : read.error().what;
    };
    CHECK(problem("") == "is no valid JSON.");
    CHECK(problem("[]") == "is no file of MIDI assignments.");
    CHECK(problem(R"({"format": "dusky-reed-scene", "version": 1})") == "is no file of MIDI assignments.");
    CHECK(problem(R"({"format": "dusky-reed-midi", "version": 2, "device": "x", "assignments": []})") ==
          "was written by another version of Dusky Reed.");
    CHECK(problem(R"({"format": "dusky-reed-midi", "version": 1, "assignments": []})") == "names no device.");
    CHECK(problem(R"({"format": "dusky-reed-midi", "version": 1, "device": "x", "assignments": {}})") ==
          "has no list of assignments.");
    CHECK(problem(R"({"format": "dusky-reed-midi", "version": "1", "device": "x", "assignments": []})") ==
          "is no valid JSON.");

    const auto read = parse_midi_file(R"({"format": "dusky-reed-midi", "version": 1, "device": "x",
        "assignments": [
          {"control": "note 1", "channel": 1, "action": "talk"},
          {"control": "note 1", "channel": 1, "action": "record"},
          {"control": "note 200", "channel": 1, "action": "talk"},
          {"control": "note 2", "channel": 17, "action": "talk"},
          {"control": "note 2", "channel": 1},
          {"control": "note 2", "channel": 1, "action": "talk", "value": "a/b/c"},
          {"control": "note 2", "channel": 1, "value": "a/b/c"},
          {"control": "note 2", "channel": 1, "coding": "offset", "action": "talk"},
          {"control": "controller 2", "channel": 1, "coding": "fast", "value": "a/b/c"},
          7]})");
    REQUIRE(read.ok());
    CHECK(read.value().assignments.all.size() == 1);
    std::vector<std::string> why;
    for (const Error& e : read.value().left_out) why.push_back(e.text());
    CHECK(why ==
          std::vector<std::string>{
              "assignments[1] assigns a control that has an assignment.",
              "assignments[2] has no control such as \"note 36\", \"controller 21\" or \"pitch bend\".",
              "assignments[3] has no channel from 1 to 16.",
              "assignments[4] needs either an \"action\" or a \"value\".",
              "assignments[5] needs either an \"action\" or a \"value\".",
              "assignments[6] assigns a note or program to a value; assign a controller.",
              "assignments[7] has a relative coding, which only controllers have.",
              "assignments[8] has a coding other than absolute, twos_complement, offset and sign_magnitude.",
              "assignments[9] is no assignment."});
}
