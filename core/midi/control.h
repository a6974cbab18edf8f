// Controls of a MIDI device: what they are called, and what their messages mean.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <tuple>
#include <utility>
#include <vector>

#include "midi/message.h"

namespace reed {

/// A key, pad, knob, fader or pedal, by the messages it sends.
struct MidiControl {
    enum class Kind : std::uint8_t {
        note,
        controller,
        controller_14_bit,  ///< controllers `number` and `number` + 32 together
        program,
        pitch_bend,
    };
    Kind kind = Kind::controller;
    std::uint8_t channel = 1;  ///< 1 to 16
    std::uint8_t number = 0;   ///< 0 to 127; controller_14_bit: 0 to 31; pitch_bend: 0

    bool operator==(const MidiControl&) const = default;
    bool operator<(const MidiControl& other) const {
        return std::tie(kind, channel, number) < std::tie(other.kind, other.channel, other.number);
    }
    /// Whether it can be put to a position, and so be assigned to a value.
    bool has_position() const { return kind != Kind::note && kind != Kind::program; }
};

/// "note 36", "controller 21", "program 4", "pitch bend".
std::string to_text(const MidiControl& control);
/// The reverse: kind and number; nothing if the text is none of these.
std::optional<MidiControl> parse_midi_control(std::string_view text, int channel);

/// How a controller codes its position or movement. The three relative codings are common practice, no
/// source.
enum class MidiCoding : std::uint8_t {
    absolute,         ///< its position
    twos_complement,  ///< steps: 1, 2 ... up, 127, 126 ... down
    offset,           ///< steps: 65, 66 ... up, 63, 62 ... down
    sign_magnitude,   ///< steps: 1, 2 ... up, 65, 66 ... down
};
constexpr int kMidiCodings = 4;
/// "absolute", "twos_complement", "offset" or "sign_magnitude".
const char* to_text(MidiCoding coding);
std::optional<MidiCoding> parse_midi_coding(std::string_view text);

/// Steps of one message of a relative controller, -64 to 63. `value`: 0 to 127.
int relative_steps(MidiCoding coding, int value) noexcept;

/// What a message says about the control that sent it.
struct MidiMove {
    MidiControl control{};
    double position = 0.0;  ///< 0 to 1; notes: velocity; program: 1
    int value = 0;          ///< 0 to 127, as it was sent; 14 bits: 0 to 16383
    bool down = false;      ///< notes and programs: pressed; others: in the upper half

    bool operator==(const MidiMove&) const = default;
};

/// Reads messages as movements of controls. Remembers the coarse half of 14-bit controllers.
class MidiDecoder {
  public:
    /// What a message moves: one control, or for controllers below 64 up to two: the controller by itself,
    /// and the 14-bit controller that it is half of. Empty for pressure. By the MIDI 1.0 specification a
    /// coarse value (controllers 0 to 31) sets the fine one to 0 until it comes (controllers 32 to 63).
    std::vector<MidiMove> read(const MidiMessage& message);

  private:
    std::map<std::pair<int, int>, int> coarse_;  // by channel and number
};

/// Lets an absolute control change a value only after it was moved to it, so that the value doesn't jump.
class SoftTakeover {
  public:
    /// How near a position counts as the same: two steps of 7 bits (empirical value).
    static constexpr double kNear = 2.0 / 127.0;

    /// Whether the control, now at `position`, may set the value that is at `current` (both 0 to 1): if it
    /// set the value last and nothing else has changed it since, if it is near it, or if it has just passed
    /// it.
    bool moved(double position, double current) noexcept;
    /// Where the value is after the control has set it.
    void set_to(double current) noexcept { left_at_ = current; }

  private:
    std::optional<double> before_;   // the control's last position
    std::optional<double> left_at_;  // the value, while the control sets it
};

/// Finds out which control is moved, and how it is coded.
class MidiLearner {
  public:
    /// `positions`: for a value, notes and programs are ignored.
    explicit MidiLearner(bool positions) : positions_(positions) {}

    struct Learned {
        MidiControl control{};
        MidiCoding coding = MidiCoding::absolute;
    };
    /// The control, once it is known: for actions when it is pressed, or moved to its upper half; for values
    /// after kMessages. To be turned up: of relative controllers the first steps say which coding it is.
    /// Two's complement and sign and magnitude are the same upwards; the former is taken then.
    std::optional<Learned> push(const MidiMessage& message);

    static constexpr int kMessages = 4;

  private:
    bool positions_ = false;
    std::map<MidiControl, std::vector<int>> seen_;
};

}  // namespace reed
