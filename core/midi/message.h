// MIDI 1.0 channel messages.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <span>

namespace reed {

/// A channel message (MIDI 1.0 Detailed Specification 4.2, table II).
struct MidiMessage {
    enum class Kind : std::uint8_t {
        note_off = 0x80,
        note_on = 0x90,
        key_pressure = 0xa0,
        controller = 0xb0,
        program = 0xc0,
        channel_pressure = 0xd0,
        pitch_bend = 0xe0,
    };
    Kind kind = Kind::note_off;
    std::uint8_t channel = 1;  ///< 1 to 16
    std::uint8_t number = 0;   ///< 0 to 127: note, controller or program; else 0
    std::uint16_t value = 0;   ///< 0 to 127: velocity, pressure, position; 0 to 16383: pitch bend

    bool operator==(const MidiMessage&) const = default;
};

/// Reads channel messages from the bytes of one port, in any pieces. Real-time safe.
class MidiParser {
  public:
    /// The message that ends with this byte, if one does. A note-on with velocity 0 is a note-off. System
    /// messages are skipped: exclusive ones whatever their length, real-time ones also inside a message;
    /// bytes before the first status byte are ignored.
    std::optional<MidiMessage> push(std::uint8_t byte) noexcept;

  private:
    std::uint8_t status_ = 0;  // running status; 0: none, data bytes are ignored
    std::array<std::uint8_t, 2> data_{};
    int have_ = 0;
};

/// Bytes of a message: two or three. Values out of range are limited.
struct MidiBytes {
    std::array<std::uint8_t, 3> bytes{};
    std::uint8_t size = 0;
    std::span<const std::uint8_t> span() const { return {bytes.data(), size}; }
};
MidiBytes midi_bytes(const MidiMessage& message) noexcept;

}  // namespace reed
