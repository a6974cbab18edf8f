// The one description of every stage's parameters. Interface, scene files, command line, validation and
// tests all read these tables; there is no second list.
#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "base/result.h"

namespace reed {

enum class Unit { none, decibel, dbfs, hertz, milliseconds, ratio, percent, quality, count, semitones };
enum class Scale { linear, logarithmic };
enum class ValueKind { number, toggle, choice };

/// What a parameter means on the level diagram.
enum class DiagramMark { none, threshold, ceiling };

struct Choice {
    std::string_view id;
    std::string_view title;
};

struct Parameter {
    std::string_view id;     ///< key in scene files; lower case with underscores
    std::string_view title;  ///< title in the interface
    std::string_view hint;   ///< help text: what to listen for
    Unit unit = Unit::none;
    double minimum = 0.0;
    double maximum = 1.0;
    double default_value = 0.0;
    Scale scale = Scale::linear;
    ValueKind kind = ValueKind::number;
    std::span<const Choice> choices{};  ///< for ValueKind::choice; the value is the index
    DiagramMark mark = DiagramMark::none;
    bool structural = false;           ///< changing it changes latency: the chain is rebuilt and cross-faded
    bool transient = false;            ///< transient: never saved, off after every start
    std::string_view group = {};       ///< parameters of one group belong together (an equalizer band)
    std::string_view mark_title = {};  ///< label of the mark in the diagram ("opens")
};

namespace parameter {
// Short forms that keep the tables readable.
constexpr Parameter number(std::string_view id, std::string_view title, Unit unit, double minimum,
                           double maximum, double default_value, Scale scale, std::string_view hint) {
    return {id, title, hint, unit, minimum, maximum, default_value, scale};
}
constexpr Parameter toggle(std::string_view id, std::string_view title, bool default_value,
                           std::string_view hint) {
    return {
        id, title, hint, Unit::none, 0.0, 1.0, default_value ? 1.0 : 0.0, Scale::linear, ValueKind::toggle};
}
constexpr Parameter choice(std::string_view id, std::string_view title, std::span<const Choice> choices,
                           size_t default_index, std::string_view hint) {
    return {id,
            title,
            hint,
            Unit::none,
            0.0,
            static_cast<double>(choices.size() - 1),
            static_cast<double>(default_index),
            Scale::linear,
            ValueKind::choice,
            choices};
}
constexpr Parameter marked(Parameter p, DiagramMark mark, std::string_view mark_title) {
    p.mark = mark;
    p.mark_title = mark_title;
    return p;
}
constexpr Parameter structural(Parameter p) {
    p.structural = true;
    return p;
}
constexpr Parameter transient(Parameter p) {
    p.transient = true;
    return p;
}
constexpr Parameter in_group(Parameter p, std::string_view group) {
    p.group = group;
    return p;
}
}  // namespace parameter

/// Validates a value: empty if valid, else the reason ("ratio 45:1 is outside 1:1 to 20:1").
std::optional<std::string> value_problem(const Parameter& p, double value);

/// "-18.0 dB", "4.00 kHz", "120 ms", "6.0:1", "on", or the title of a choice.
std::string format_value(const Parameter& p, double value);

/// The value as a plain number or word, without unit, as put into an edit field.
std::string format_value_bare(const Parameter& p, double value);

/// Parses user input: "4k", "-18", "6:1", "120 ms", "0.12 s", "50%", "on", a choice's name.
/// Accepts decimal point and comma. Returns an error if it can't be parsed or is outside the range.
Result<double> parse_value(const Parameter& p, std::string_view text);

/// Position 0 to 1 of a value on the scale of the parameter, and back. The value is rounded as it is shown.
double value_to_position(const Parameter& p, double value);
double position_to_value(const Parameter& p, double position);

/// The value `steps` wheel steps away, rounded and clamped to the range; `fine`: tenths of a step.
double step_value(const Parameter& p, double value, double steps, bool fine);

/// Rounds a dragged value to the precision that is shown.
double round_value(const Parameter& p, double value);

}  // namespace reed
