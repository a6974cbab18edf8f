#include "stages/finding.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "base/decibel.h"

namespace reed {
namespace {

constexpr double kSpare = 6.0;     // dB
constexpr double kNarrow = 2.0;    // dB between room and quiet words: no threshold parts them
constexpr double kWorthIt = 0.75;  // dB; a smaller step is none

std::string format_message(const Quantity& q) {
    char text[40];
    switch (q.unit) {
        case Unit::hertz:
            if (q.value < 1000.0)
                std::snprintf(text, sizeof text, "%.*f Hz", q.decimals, q.value);
            else
                std::snprintf(text, sizeof text, "%.4g kHz", q.value / 1000.0);
            break;
        case Unit::percent:
            std::snprintf(text, sizeof text, "%.*f%%", q.decimals, q.value);
            break;
        default:
            std::snprintf(text, sizeof text, "%.*f", q.decimals, q.value);
    }
    return std::string(text) == "-0" ? "0" : text;
}

/// The value as a person would set it: half decibels, inside the row's range.
double settable(const Parameter& row, double value) {
    return std::clamp(half_decibels(value), row.minimum, row.maximum);
}

}  // namespace

std::string format_message(std::string_view words, std::span<const Quantity> quantities) {
    std::string out;
    for (size_t i = 0; i < words.size(); ++i) {
        const bool mark = words[i] == '{' && i + 2 < words.size() && words[i + 2] == '}';
        const auto which = mark ? static_cast<size_t>(words[i + 1] - '0') : quantities.size();
        if (which < quantities.size()) {
            out += format_message(quantities[which]);
            i += 2;
        } else {
            out += words[i];
        }
    }
    return out;
}

Finding no_signal_finding(const TapLevels& in) {
    if (in.peak > kSilentPeak) return {"nothing_heard", FindingTone::neutral, "No signal yet.", {}, {}};
    return {"digital_silence", FindingTone::neutral, "Only digital silence so far.", {}, {}};
}

Finding waiting_for_voice() {
    return {"no_voice", FindingTone::neutral, "Waiting for speech.", {}, {}};
}

Finding waiting_for_pause() {
    return {"no_room", FindingTone::neutral, "Waiting for a pause to measure the background noise.", {}, {}};
}

Proposal propose(std::span<const Parameter> table, size_t row, double value, std::string_view words) {
    const double set = settable(table[row], value);
    return {{{row, set}}, words, {{set, Unit::decibel, set == std::round(set) ? 0 : 1}}};
}

namespace {

/// Both thresholds where both sides have most; as far apart as they are, where there is room for that.
std::optional<Proposal> between(const ThresholdCheck& s, const TapLevels& in) {
    const double apart = std::max(0.0, s.opens - s.closes);
    double open = 0.0;
    double keep = apart;
    if (in.room_known && in.voice_known) {
        const double gap = in.voice_low - in.room_high;
        keep = std::min(apart, 0.4 * gap);
        open = in.voice_low - 0.5 * (gap - keep);
    } else if (in.voice_known) {
        open = in.voice_low - kSpare;
    } else {
        open = in.room_high + kSpare + apart;
    }
    const double was = s.opens;
    Proposal out = propose(s.table, s.open_row, open, s.proposal);
    if (s.close_row != s.open_row)
        out.values.emplace_back(s.close_row, settable(s.table[s.close_row], out.values[0].second - keep));
    const double closes = s.close_row != s.open_row ? out.values[1].second : out.values[0].second;
    if (std::abs(out.values[0].second - was) < kWorthIt && std::abs(closes - s.closes) < kWorthIt) return {};
    return out;
}

}  // namespace

Finding threshold_finding(const ThresholdCheck& s, const FindingContext& now) {
    const TapLevels& in = now.in;
    if (!in.room_known && !in.voice_known) return no_signal_finding(in);
    // Where the loudest of the room is as loud as quiet words, every threshold is wrong for one of them.
    if (in.room_known && in.voice_known && in.room_high > in.voice_low - kNarrow) {
        return {"no_threshold",
                FindingTone::warning,
                "Background noise reaches {0} dBFS and quiet speech is at {1} dBFS: no threshold can "
                "separate them. Reduce the noise first.",
                {{in.room_high}, {in.voice_low}},
                {}};
    }
    if (in.room_known && in.room_high >= s.closes)
        return {"room_passes", FindingTone::warning, s.passes, {{in.room_high}, {s.closes}}, between(s, in)};
    if (in.voice_known && in.voice_low <= s.opens) {
        return {"words_cut",
                FindingTone::warning,
                "Quiet speech ({0} dBFS) is below the threshold ({1} dBFS) and gets cut off. Lower the "
                "threshold below {0} dBFS.",
                {{in.voice_low}, {s.opens}},
                between(s, in)};
    }
    if (!in.room_known) return waiting_for_pause();
    if (!in.voice_known) {
        return {"no_voice",
                FindingTone::neutral,
                "Noise reaches {0} dBFS. Waiting for speech.",
                {{in.room_high}},
                {}};
    }
    const double above = s.closes - in.room_high;
    const double below_words = in.voice_low - s.opens;
    const Quantity open{100.0 * now.reduction.open, Unit::percent};
    // In the middle both sides have most.
    const double gap = in.voice_low - in.room_high - (s.opens - s.closes);
    auto fix = between(s, in);
    if (std::min(above, below_words) < kSpare && gap >= 2.0 * kSpare && fix) {
        // The sentence names the value that the button sets.
        const Quantity better = fix->quantities.front();
        return {"little_to_spare",
                FindingTone::neutral,
                better.value > s.opens
                    ? "Noise reaches {0} dBFS, quiet speech {1} dBFS. Margin only {2} dB: raise "
                      "the threshold to {3} dBFS. Open {4} of the time."
                    : "Noise reaches {0} dBFS, quiet speech {1} dBFS. Margin only {2} dB: lower "
                      "the threshold to {3} dBFS. Open {4} of the time.",
                {{in.room_high}, {in.voice_low}, {std::min(above, below_words)}, better, open},
                std::move(fix)};
    }
    return {"between",
            FindingTone::good,
            "Noise reaches {0} dBFS, quiet speech {1} dBFS. The thresholds are in between, with {2} and {3} "
            "dB of margin. Open {4} of the time.",
            {{in.room_high}, {in.voice_low}, {above}, {below_words}, open},
            {}};
}

}  // namespace reed
