// Any bytes as what a MIDI device sends, and as a file of MIDI assignments: messages stay in their ranges,
// and what is read is written and read again as the same.
#include <cstdint>
#include <string_view>

#include "fuzz/expect.h"
#include "midi/assignments.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    using namespace reed;
    MidiParser parser;
    MidiDecoder decoder;
    MidiLearner values(true), actions(false);
    SoftTakeover takeover;
    for (size_t i = 0; i < size; ++i) {
        const auto message = parser.push(data[i]);
        if (!message) continue;
        const MidiMessage& m = *message;
        expect(m.channel >= 1 && m.channel <= 16 && m.number <= 127, "a channel and a number of MIDI");
        expect(m.value <= (m.kind == MidiMessage::Kind::pitch_bend ? 16383 : 127), "a value of MIDI");
        const auto moves = decoder.read(m);
        expect(moves.size() <= 2, "one control, or two");
        for (const MidiMove& move : moves) {
            expect(move.position >= 0.0 && move.position <= 1.0, "a position");
            const auto again = parse_midi_control(to_text(move.control), move.control.channel);
            expect(again == move.control, "a name that can be read");
            (void)takeover.moved(move.position, 0.5);
        }
        if (const auto learned = values.push(m))
            expect(learned->control.has_position(), "a value has a position");
        (void)actions.push(m);
    }
    const auto file = parse_midi_file({reinterpret_cast<const char*>(data), size});
    if (!file.ok()) {
        expect(!file.error().what.empty(), "a problem says what");
        return 0;
    }
    const auto again = parse_midi_file(write_midi_file(file.value().assignments));
    expect(again.ok() && again.value().left_out.empty(), "what is written can be read");
    expect(again.value().assignments == file.value().assignments, "and is the same");
    return 0;
}
