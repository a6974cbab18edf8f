// What the controls of a MIDI device do, and the file that says so.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"
#include "midi/control.h"

namespace reed {

/// One control and what it does: exactly one of `action` and `value` is set.
struct MidiAssignment {
    MidiControl control{};
    MidiCoding coding = MidiCoding::absolute;
    std::string action;  ///< id of an action with its argument: "toggle-mute", "scene 3", "talk"
    std::string value;   ///< address of a value: "voice/gate/hold"; "*" as its strip: the selected one

    bool operator==(const MidiAssignment&) const = default;
};

/// The assignments of one device.
struct MidiDeviceAssignments {
    std::string device;               ///< its name, as MidiDevice::name
    std::vector<MidiAssignment> all;  ///< each control once, at most kMaxMidiAssignments

    bool operator==(const MidiDeviceAssignments&) const = default;
};
constexpr size_t kMaxMidiAssignments = 512, kMaxMidiFileBytes = 1 << 20;

/// A file that was read: what can't be used of it is left out and named.
struct MidiFile {
    MidiDeviceAssignments assignments;
    std::vector<Error> left_out;
};

/// Reads JSON of the format "dusky-reed-midi", version 1 (docs/midi-format.md). Returns an error if it is not
/// such a file.
Result<MidiFile> parse_midi_file(std::string_view json);
/// The same of a file.
Result<MidiFile> load_midi_file(const std::filesystem::path& path);
std::string write_midi_file(const MidiDeviceAssignments& assignments);

}  // namespace reed
