#include "stages/parameter.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstdio>

namespace reed {
namespace {

std::string printed(const char* format, double value) {
    char text[64];
    std::snprintf(text, sizeof text, format, value);
    // "-0.0" is a rounding accident, not a level.
    std::string out = text;
    if (out.find_first_not_of("-0.") == std::string::npos && out[0] == '-') out.erase(0, 1);
    return out;
}

std::string lower(std::string_view text) {
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(), [](unsigned char c) { return std::tolower(c); });
    return out;
}

std::string trimmed(std::string_view text) {
    const auto first = text.find_first_not_of(" \t\n\r");
    if (first == std::string_view::npos) return {};
    return std::string(text.substr(first, text.find_last_not_of(" \t\n\r") - first + 1));
}

std::string range_text(const Parameter& p) {
    return format_value(p, p.minimum) + " to " + format_value(p, p.maximum);
}

/// Digits after the point that a value of this size is shown with.
int decimals(const Parameter& p, double value) {
    const double size = std::abs(value);
    switch (p.unit) {
        case Unit::hertz:
            return size < 100 ? 1 : 0;
        case Unit::milliseconds:
            return size < 10 ? 2 : (size < 100 ? 1 : 0);
        case Unit::quality:
            return 2;
        case Unit::percent:
        case Unit::count:
            return 0;
        default:
            return 1;
    }
}

Result<double> parse_choice(const Parameter& p, const std::string& text) {
    for (size_t i = 0; i < p.choices.size(); ++i) {
        if (lower(p.choices[i].id) == text || lower(p.choices[i].title) == text)
            return static_cast<double>(i);
    }
    std::string known;
    for (const auto& c : p.choices) known += (known.empty() ? "" : ", ") + std::string(c.title);
    return Error{"\"" + text + "\" is not one of: " + known + ".", std::string(p.title), ""};
}

Result<double> parse_toggle(const Parameter& p, const std::string& text) {
    if (text == "on" || text == "yes" || text == "1" || text == "true") return 1.0;
    if (text == "off" || text == "no" || text == "0" || text == "false") return 0.0;
    return Error{"\"" + text + "\" isn't on or off.", std::string(p.title), ""};
}

/// The factor a typed unit stands for, or nothing when it does not belong to this parameter.
std::optional<double> unit_factor(Unit unit, const std::string& typed) {
    if (typed.empty()) return 1.0;
    switch (unit) {
        case Unit::hertz:
            if (typed == "hz") return 1.0;
            if (typed == "k" || typed == "khz") return 1000.0;
            break;
        case Unit::milliseconds:
            if (typed == "ms") return 1.0;
            if (typed == "s" || typed == "sec") return 1000.0;
            if (typed == "us" || typed == "µs") return 0.001;
            break;
        case Unit::decibel:
        case Unit::dbfs:
            if (typed == "db" || typed == "dbfs" || typed == "dbtp") return 1.0;
            break;
        case Unit::ratio:
            if (typed == ":1" || typed == ": 1" || typed == "x") return 1.0;
            break;
        case Unit::percent:
            if (typed == "%") return 1.0;
            break;
        case Unit::quality:
            if (typed == "q") return 1.0;
            break;
        case Unit::semitones:
            if (typed == "st" || typed == "semitones" || typed == "semitone") return 1.0;
            break;
        case Unit::none:
        case Unit::count:
            break;
    }
    return std::nullopt;
}

const char* unit_example(Unit unit) {
    switch (unit) {
        case Unit::hertz:
            return "\"250\", \"4k\" or \"4 kHz\"";
        case Unit::milliseconds:
            return "\"120\", \"120 ms\" or \"0.12 s\"";
        case Unit::decibel:
            return "\"-18\" or \"-18 dB\"";
        case Unit::dbfs:
            return "\"-18\" or \"-18 dBFS\"";
        case Unit::ratio:
            return "\"4\" or \"4:1\"";
        case Unit::percent:
            return "\"50\" or \"50%\"";
        case Unit::semitones:
            return "\"-3\" or \"-3 st\"";
        default:
            return "a number";
    }
}

}  // namespace

std::optional<std::string> value_problem(const Parameter& p, double value) {
    if (!std::isfinite(value)) return std::string(p.title) + " is not a number.";
    if (p.kind != ValueKind::number && value != std::floor(value)) {
        return std::string(p.title) + " needs a whole number.";
    }
    if (value < p.minimum || value > p.maximum) {
        if (p.kind != ValueKind::number) return std::string(p.title) + " does not have this choice.";
        return std::string(p.title) + " " + format_value(p, value) + " is outside " + range_text(p) + ".";
    }
    return std::nullopt;
}

std::string format_value(const Parameter& p, double value) {
    if (p.kind == ValueKind::toggle) return value >= 0.5 ? "on" : "off";
    if (p.kind == ValueKind::choice) {
        const auto i = static_cast<size_t>(std::clamp(value, p.minimum, p.maximum));
        return std::string(p.choices[i].title);
    }
    const char* formats[] = {"%.0f", "%.1f", "%.2f"};
    switch (p.unit) {
        case Unit::hertz:
            if (std::abs(value) >= 999.5) return printed("%.2f kHz", value / 1000.0);
            return printed(formats[decimals(p, value)], value) + " Hz";
        case Unit::milliseconds:
            if (std::abs(value) >= 999.5) return printed("%.2f s", value / 1000.0);
            return printed(formats[decimals(p, value)], value) + " ms";
        case Unit::ratio:
            return printed("%.1f:1", value);
        case Unit::decibel:
            return printed("%.1f", value) + " dB";
        case Unit::dbfs:
            return printed("%.1f", value) + " dBFS";
        case Unit::percent:
            return printed("%.0f", value) + "%";
        case Unit::quality:
            return printed("%.2f", value);
        case Unit::count:
            return printed("%.0f", value);
        case Unit::semitones:
            return printed("%.1f", value) + " st";
        case Unit::none:
            break;
    }
    return printed("%.1f", value);
}

std::string format_value_bare(const Parameter& p, double value) {
    if (p.kind != ValueKind::number) return format_value(p, value);
    const char* formats[] = {"%.0f", "%.1f", "%.2f"};
    return printed(formats[decimals(p, value)], value);
}

Result<double> parse_value(const Parameter& p, std::string_view raw) {
    std::string text = lower(trimmed(raw));
    const std::string where(p.title);
    if (text.empty())
        return Error{"No value entered.", where, std::string("Type ") + unit_example(p.unit) + "."};
    if (p.kind == ValueKind::choice) return parse_choice(p, text);
    if (p.kind == ValueKind::toggle) return parse_toggle(p, text);

    std::replace(text.begin(), text.end(), ',', '.');
    // A typographic minus is what one gets when pasting from a web page.
    if (text.rfind("\xe2\x88\x92", 0) == 0) text = "-" + text.substr(3);
    const char* begin = text.c_str();
    if (*begin == '+') ++begin;
    double value = 0.0;
    const char* end = text.c_str() + text.size();
    const auto parsed = std::from_chars(begin, end, value);
    if (parsed.ec != std::errc() || !std::isfinite(value)) {
        return Error{"\"" + trimmed(raw) + "\" is not a number.", where,
                     std::string("Type ") + unit_example(p.unit) + "."};
    }
    const std::string typed_unit =
        trimmed(std::string_view(parsed.ptr, static_cast<size_t>(end - parsed.ptr)));
    const auto factor = unit_factor(p.unit, typed_unit);
    if (!factor) {
        return Error{"\"" + typed_unit + "\" isn't a known unit.", where,
                     std::string("Type ") + unit_example(p.unit) + "."};
    }
    value *= *factor;
    if (auto problem = value_problem(p, value)) return Error{*problem, where, ""};
    return value;
}

double value_to_position(const Parameter& p, double value) {
    if (p.maximum <= p.minimum) return 0.0;
    if (p.scale == Scale::logarithmic) {
        return std::log(value / p.minimum) / std::log(p.maximum / p.minimum);
    }
    return (value - p.minimum) / (p.maximum - p.minimum);
}

double position_to_value(const Parameter& p, double position) {
    position = std::clamp(position, 0.0, 1.0);
    const double value = p.scale == Scale::logarithmic ? p.minimum * std::pow(p.maximum / p.minimum, position)
                                                       : p.minimum + position * (p.maximum - p.minimum);
    return round_value(p, value);
}

double round_value(const Parameter& p, double value) {
    if (p.kind != ValueKind::number) return std::clamp(std::round(value), p.minimum, p.maximum);
    double step = 0.1;
    if (p.scale == Scale::logarithmic && value > 0.0) {
        // Three significant figures, as they are shown.
        step = std::pow(10.0, std::floor(std::log10(value)) - 2.0);
    } else if (p.unit == Unit::percent || p.unit == Unit::count) {
        step = 1.0;
    }
    return std::clamp(std::round(value / step) * step, p.minimum, p.maximum);
}

double step_value(const Parameter& p, double value, double steps, bool fine) {
    if (p.kind != ValueKind::number) return std::clamp(value + std::round(steps), p.minimum, p.maximum);
    const double scale = fine ? 0.1 : 1.0;
    if (p.scale == Scale::logarithmic) {
        // One notch is a sixth of an octave; a fine one a sixtieth.
        const double target = std::clamp(value * std::exp2(steps * scale / 6.0), p.minimum, p.maximum);
        return round_value(p, target);
    }
    const double notch = p.unit == Unit::percent ? (fine ? 1.0 : 5.0) : scale;
    return round_value(p, value + steps * notch);
}

}  // namespace reed
