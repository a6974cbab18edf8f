// An evaluation of a stage's settings by the measured levels: data, with the message that shows it.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "stages/learned_data.h"
#include "stages/parameter.h"

namespace reed {

/// Levels in dBFS (AES17). kSilenceDb means silence; the `known` flags are false until something was
/// measured.
struct TapLevels {
    bool room_known = false;   ///< there were pauses
    bool voice_known = false;  ///< there was speech
    double room = 0.0;         ///< background noise, median of the pauses
    double room_high = 0.0;    ///< background noise, 95th percentile of the pauses
    double voice_low = 0.0;    ///< quiet speech, 10th percentile
    double voice = 0.0;        ///< typical speech, median
    double voice_high = 0.0;   ///< loud speech, 90th percentile
    double peak = 0.0;         ///< highest sample
    double now = 0.0;          ///< level of the newest 50 ms
    double now_peak = 0.0;     ///< highest sample of the newest 50 ms
};

/// Gain reduction of one stage, in dB (>= 0).
struct StageReduction {
    double now = 0.0;         ///< newest 10 ms
    double usual = 0.0;       ///< median during speech
    double deepest = 0.0;     ///< maximum in the window
    double open = 1.0;        ///< share of the window with less than 1 dB of reduction, 0 to 1
    double load = 0.0;        ///< share of one core the stage takes, mean of the window, 0 to 1
    double worst_load = 0.0;  ///< in the worst 10 ms of the window
};

inline constexpr double kSilentPeak = -110.0;  ///< dBFS; digital silence, below the noise of any converter

enum class FindingTone { neutral, good, warning };

/// A value of a finding, rounded as it is shown.
struct Quantity {
    double value = 0.0;
    Unit unit = Unit::decibel;
    int decimals = 0;
};

/// Suggested values of one stage, applied as one step.
struct Proposal {
    std::vector<std::pair<size_t, double>> values;  ///< row, value in its range
    std::string_view words;                         ///< text of the button
    std::vector<Quantity> quantities;
};

/// What the levels say about a stage. `words` is a translatable English text with placeholders {0}, {1}, ...
/// for the quantities; it and the id are static.
struct Finding {
    std::string_view id;  ///< "room_passes"; empty: no finding
    FindingTone tone = FindingTone::neutral;
    std::string_view words;
    std::vector<Quantity> quantities;
    std::optional<Proposal> proposal;
};

/// Inserts the quantities into the text. Decibels are written without their unit.
std::string format_message(std::string_view words, std::span<const Quantity> quantities);
inline std::string format_message(const Finding& f) {
    return format_message(f.words, f.quantities);
}

/// Input of a finding.
struct FindingContext {
    std::span<const double> values;
    const LearnedData& taught;  ///< learned data of the stage
    const TapLevels& in;        ///< before the stage
    const TapLevels& out;       ///< after it
    const StageReduction& reduction;
};

/// An analysis of the input of a stage, run on request.
struct Search {
    std::string_view id;          ///< "hum"
    double least_seconds = 0.0;   ///< of audio that it needs
    double most_seconds = 0.0;    ///< more is not used
    std::string_view too_little;  ///< text if there is less
    /// The result, with the values to set as its proposal; nothing was found if there is none. `sound`: full
    /// scale is +-1. May take long.
    Finding (*look)(std::span<const float> sound, double sample_rate) = nullptr;
};

/// Findings while levels are unknown, for kinds that need speech or pauses.
Finding no_signal_finding(const TapLevels& in);
Finding waiting_for_voice();
Finding waiting_for_pause();

/// Proposes one value, clamped to the range of the row and rounded to 0.5 dB.
Proposal propose(std::span<const Parameter> table, size_t row, double value, std::string_view words);

/// Thresholds of a stage that attenuates in pauses (rows of the table; equal if there is only one).
struct ThresholdCheck {
    std::span<const Parameter> table;
    size_t open_row = 0, close_row = 0;
    double opens = 0.0, closes = 0.0;  ///< dBFS
    std::string_view passes;           ///< text if the noise is too loud; {0}: noise, {1}: threshold
    std::string_view proposal;         ///< text of the proposal; {0}: threshold
};
/// Checks that thresholds are between noise and quiet speech, and proposes the middle. A margin of 6 dB on
/// both sides is enough (common practice, no source).
Finding threshold_finding(const ThresholdCheck& stage, const FindingContext& now);

}  // namespace reed
