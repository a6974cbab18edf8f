// What the levels say about a stage's settings: as data, with the words it is told in.
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

/// Levels in dBFS (AES17). kSilenceDb stands for silence; `known` flags tell when nothing was heard yet.
struct TapLevels {
    bool room_known = false;   ///< there were pauses
    bool voice_known = false;  ///< there was speech
    double room = 0.0;         ///< usual level of the room: half of the pauses lie below
    double room_high = 0.0;    ///< what the room reaches: 95 % of the pauses lie below
    double voice_low = 0.0;    ///< quiet words: 10 % of the speech lies below
    double voice = 0.0;        ///< usual level: half of the speech lies below
    double voice_high = 0.0;   ///< loud words: 10 % of the speech lies above
    double peak = 0.0;         ///< highest sample
    double now = 0.0;          ///< level of the newest 50 ms
    double now_peak = 0.0;     ///< highest sample of the newest 50 ms
};

/// Gain reduction of one stage, in dB (>= 0).
struct StageReduction {
    double now = 0.0;         ///< newest 10 ms
    double usual = 0.0;       ///< median while there is speech
    double deepest = 0.0;     ///< largest in the window
    double open = 1.0;        ///< share of the window in which less than 1 dB was taken, 0 to 1
    double load = 0.0;        ///< share of one core the stage takes, mean of the window, 0 to 1
    double worst_load = 0.0;  ///< in the worst 10 ms of the window
};

inline constexpr double kSilentPeak = -110.0;  ///< dBFS; digital silence: no converter is that quiet

enum class FindingTone { neutral, good, warning };

/// A figure of a finding, rounded as it is told.
struct Quantity {
    double value = 0.0;
    Unit unit = Unit::decibel;
    int decimals = 0;
};

/// Values of one stage that would help, as one step.
struct Proposal {
    std::vector<std::pair<size_t, double>> values;  ///< row, value in its range
    std::string_view words;                         ///< what they do, as a button says it
    std::vector<Quantity> quantities;
};

/// Something worth saying. `words` are English, translatable, with {0}, {1}, ... for the quantities; they and
/// the id live for ever.
struct Finding {
    std::string_view id;  ///< "room_passes"; empty: nothing to say
    FindingTone tone = FindingTone::neutral;
    std::string_view words;
    std::vector<Quantity> quantities;
    std::optional<Proposal> proposal;
};

/// Words with their figures put in. A unit is written only where it is not plain decibels.
std::string format_message(std::string_view words, std::span<const Quantity> quantities);
inline std::string format_message(const Finding& f) {
    return format_message(f.words, f.quantities);
}

/// What a kind judges a stage by.
struct FindingContext {
    std::span<const double> values;
    const LearnedData& taught;  ///< what the stage was taught
    const TapLevels& in;        ///< before the stage
    const TapLevels& out;       ///< after it
    const StageReduction& reduction;
};

/// Something a kind can look for in the sound that comes to a stage, when somebody asks for it.
struct Search {
    std::string_view id;          ///< "hum"
    double least_seconds = 0.0;   ///< of sound it needs
    double most_seconds = 0.0;    ///< more is not used
    std::string_view too_little;  ///< words for when there is less
    /// What was found, in words, with the values to set as its proposal; without one nothing was found.
    /// `sound`: full scale +-1. May take its time.
    Finding (*look)(std::span<const float> sound, double sample_rate) = nullptr;
};

/// Nothing can be said about levels yet: why, or that it waits. For kinds that need a voice, a room.
Finding no_signal_finding(const TapLevels& in);
Finding waiting_for_voice();
Finding waiting_for_pause();

/// A proposal of one value, limited to the row's range and rounded to half a decibel.
Proposal propose(std::span<const Parameter> table, size_t row, double value, std::string_view words);

/// Where a stage that keeps the room out has its thresholds (rows of the table; the same when there is one).
struct ThresholdCheck {
    std::span<const Parameter> table;
    size_t open_row = 0, close_row = 0;
    double opens = 0.0, closes = 0.0;  ///< dBFS
    std::string_view passes;           ///< words for a room that is too loud: {0} the room, {1} the threshold
    std::string_view proposal;         ///< words of the proposal: {0} the threshold
};
/// Judges thresholds between the room and quiet words, and proposes the middle. 6 dB to spare on either side
/// are enough (common practice, no source).
Finding threshold_finding(const ThresholdCheck& stage, const FindingContext& now);

}  // namespace reed
