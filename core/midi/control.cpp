#include "midi/control.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

namespace reed {
namespace {

using Kind = MidiControl::Kind;

constexpr std::array<const char*, 5> kKinds = {"note", "controller", "14-bit controller", "program",
                                               "pitch bend"};
constexpr std::array<const char*, kMidiCodings> kCodings = {"absolute", "twos_complement", "offset",
                                                            "sign_magnitude"};
constexpr int kFine = 32;  // from the number of a coarse controller to that of its fine one
constexpr double kMost = 127.0, kMost14 = 16383.0;

std::optional<int> number_of(std::string_view text) {
    int out = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), out);
    if (error != std::errc() || end != text.data() + text.size() || out < 0 || out > 127) return std::nullopt;
    return out;
}

}  // namespace

std::string to_text(const MidiControl& c) {
    const std::string kind = kKinds[static_cast<size_t>(c.kind)];
    return c.kind == Kind::pitch_bend ? kind : kind + " " + std::to_string(c.number);
}

std::optional<MidiControl> parse_midi_control(std::string_view text, int channel) {
    if (channel < 1 || channel > 16) return std::nullopt;
    for (size_t k = 0; k < kKinds.size(); ++k) {
        const std::string_view name = kKinds[k];
        if (!text.starts_with(name)) continue;
        MidiControl out{static_cast<Kind>(k), static_cast<std::uint8_t>(channel), 0};
        std::string_view rest = text.substr(name.size());
        if (out.kind == Kind::pitch_bend) return rest.empty() ? std::optional(out) : std::nullopt;
        if (!rest.starts_with(' ')) return std::nullopt;
        const auto number = number_of(rest.substr(1));
        if (!number || (out.kind == Kind::controller_14_bit && *number >= kFine)) return std::nullopt;
        out.number = static_cast<std::uint8_t>(*number);
        return out;
    }
    return std::nullopt;
}

const char* to_text(MidiCoding coding) {
    return kCodings[static_cast<size_t>(coding)];
}

std::optional<MidiCoding> parse_midi_coding(std::string_view text) {
    const auto at = std::ranges::find(kCodings, text, [](const char* t) { return std::string_view(t); });
    if (at == kCodings.end()) return std::nullopt;
    return static_cast<MidiCoding>(at - kCodings.begin());
}

int relative_steps(MidiCoding coding, int value) noexcept {
    switch (coding) {
        case MidiCoding::absolute:
            return 0;
        case MidiCoding::twos_complement:
            return value < 64 ? value : value - 128;
        case MidiCoding::offset:
            return value - 64;
        case MidiCoding::sign_magnitude:
            return value < 64 ? value : 64 - value;
    }
    return 0;
}

std::vector<MidiMove> MidiDecoder::read(const MidiMessage& m) {
    const auto control = [&](Kind kind, int number) {
        return MidiControl{kind, m.channel, static_cast<std::uint8_t>(number)};
    };
    const bool upper = m.value >= 64;
    switch (m.kind) {
        case MidiMessage::Kind::note_on:
        case MidiMessage::Kind::note_off:
            return {{control(Kind::note, m.number), m.value / kMost, m.value,
                     m.kind == MidiMessage::Kind::note_on}};
        case MidiMessage::Kind::program:
            return {{control(Kind::program, m.number), 1.0, m.number, true}};
        case MidiMessage::Kind::pitch_bend:
            return {{control(Kind::pitch_bend, 0), m.value / kMost14, m.value, m.value >= 8192}};
        case MidiMessage::Kind::controller:
            break;
        default:
            return {};
    }
    std::vector<MidiMove> out{{control(Kind::controller, m.number), m.value / kMost, m.value, upper}};
    if (m.number < kFine) {
        coarse_[{m.channel, m.number}] = m.value;
        const int value = m.value << 7;
        out.push_back({control(Kind::controller_14_bit, m.number), value / kMost14, value, upper});
    } else if (m.number < 2 * kFine) {
        const auto coarse = coarse_.find({m.channel, m.number - kFine});
        if (coarse == coarse_.end()) return out;
        const int value = coarse->second << 7 | m.value;
        out.push_back({control(Kind::controller_14_bit, m.number - kFine), value / kMost14, value,
                       coarse->second >= 64});
    }
    return out;
}

bool SoftTakeover::moved(double position, double current) noexcept {
    const auto before = std::exchange(before_, position);
    // Where it was left, as far as rounding allows.
    const bool sets_it = left_at_ && std::abs(*left_at_ - current) < 1e-6;
    const bool meets = std::abs(position - current) <= kNear ||
                       (before && (*before - current) * (position - current) <= 0.0);
    left_at_ = sets_it || meets ? std::optional(current) : std::nullopt;
    return sets_it || meets;
}

std::optional<MidiLearner::Learned> MidiLearner::push(const MidiMessage& m) {
    MidiDecoder decoder;
    for (const MidiMove& move : decoder.read(m)) {
        const MidiControl& c = move.control;
        if (c.kind == Kind::controller_14_bit) continue;  // both halves are seen as controllers
        if (!positions_) {
            if (move.down) return Learned{c, MidiCoding::absolute};
            continue;
        }
        if (!c.has_position()) continue;
        seen_[c].push_back(move.value);
    }
    for (const auto& seen : seen_) {
        const MidiControl& control = seen.first;
        const std::vector<int>& values = seen.second;
        if (values.size() < kMessages) continue;
        if (control.kind == Kind::pitch_bend) return Learned{control, MidiCoding::absolute};
        // The two halves of a 14-bit controller come in turns.
        MidiControl fine = control;
        fine.number = static_cast<std::uint8_t>(control.number + kFine);
        if (control.number < kFine && seen_.contains(fine)) {
            return Learned{{Kind::controller_14_bit, control.channel, control.number}, MidiCoding::absolute};
        }
        MidiControl coarse = control;
        coarse.number = static_cast<std::uint8_t>(control.number - kFine);
        if (control.number >= kFine && control.number < 2 * kFine && seen_.contains(coarse)) {
            return Learned{{Kind::controller_14_bit, control.channel, coarse.number}, MidiCoding::absolute};
        }
        // A position is sent when it has changed; steps repeat.
        const bool repeats = std::ranges::adjacent_find(values) != values.end();
        const auto all_in = [&values](int from, int to) {
            return std::ranges::all_of(values, [=](int v) { return v >= from && v <= to; });
        };
        MidiCoding coding = MidiCoding::absolute;
        if (repeats && all_in(56, 72)) coding = MidiCoding::offset;
        if (repeats && std::ranges::all_of(values, [](int v) { return v <= 8 || v >= 120; }))
            coding = MidiCoding::twos_complement;
        if (repeats && std::ranges::all_of(values, [](int v) { return v <= 8 || (v > 64 && v <= 72); }) &&
            values.front() <= 8)
            coding = std::ranges::any_of(values, [](int v) { return v > 64; }) ? MidiCoding::sign_magnitude
                                                                               : MidiCoding::twos_complement;
        return Learned{control, coding};
    }
    return std::nullopt;
}

}  // namespace reed
