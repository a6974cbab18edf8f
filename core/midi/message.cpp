#include "midi/message.h"

#include <algorithm>

namespace reed {
namespace {

constexpr std::uint8_t kStatus = 0x80, kSystem = 0xf0, kRealTime = 0xf8;

using Kind = MidiMessage::Kind;

int data_bytes(Kind kind) {
    return kind == Kind::program || kind == Kind::channel_pressure ? 1 : 2;
}

std::uint8_t seven_bits(int value) {
    return static_cast<std::uint8_t>(std::clamp(value, 0, 127));
}

}  // namespace

std::optional<MidiMessage> MidiParser::push(std::uint8_t byte) noexcept {
    if (byte >= kRealTime) return std::nullopt;  // may stand between the bytes of another message
    if (byte >= kStatus) {
        // System common and exclusive messages end running status; their data bytes are skipped.
        status_ = byte < kSystem ? byte : 0;
        have_ = 0;
        return std::nullopt;
    }
    if (status_ == 0) return std::nullopt;
    data_[static_cast<size_t>(have_++)] = byte;
    MidiMessage m;
    m.kind = static_cast<Kind>(status_ & 0xf0);
    if (have_ < data_bytes(m.kind)) return std::nullopt;
    have_ = 0;
    m.channel = static_cast<std::uint8_t>((status_ & 0x0f) + 1);
    switch (m.kind) {
        case Kind::pitch_bend:
            m.value = static_cast<std::uint16_t>(data_[0] | data_[1] << 7);
            break;
        case Kind::channel_pressure:
            m.value = data_[0];
            break;
        case Kind::program:
            m.number = data_[0];
            break;
        default:
            m.number = data_[0];
            m.value = data_[1];
    }
    if (m.kind == Kind::note_on && m.value == 0) m.kind = Kind::note_off;
    return m;
}

MidiBytes midi_bytes(const MidiMessage& m) noexcept {
    MidiBytes out;
    const int channel = std::clamp<int>(m.channel, 1, 16) - 1;
    out.bytes[0] = static_cast<std::uint8_t>(static_cast<int>(m.kind) | channel);
    out.size = static_cast<std::uint8_t>(1 + data_bytes(m.kind));
    if (m.kind == Kind::pitch_bend) {
        const int value = std::min<int>(m.value, 16383);
        out.bytes[1] = seven_bits(value & 0x7f);
        out.bytes[2] = seven_bits(value >> 7);
    } else if (m.kind == Kind::channel_pressure) {
        out.bytes[1] = seven_bits(m.value);
    } else {
        out.bytes[1] = seven_bits(m.number);
        out.bytes[2] = seven_bits(m.value);
    }
    return out;
}

}  // namespace reed
