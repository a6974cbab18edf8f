// What the levels say about a stage's settings, in plain words.
#pragma once

#include <optional>
#include <string>

#include "chain/chain_spec.h"
#include "measure/level_statistics.h"

namespace reed {

enum class AdviceTone { neutral, good, warning };

struct Advice {
    AdviceTone tone = AdviceTone::neutral;
    std::string text;  ///< one or two sentences; empty when there is nothing to say
};

/// Judges stage `index` of `chain` by the levels before and after it. The values held against (a reduction
/// of 3 to 10 dB while talking, boosts within 4 dB) are common practice, no source.
Advice stage_advice(const ChainSpec& chain, size_t index, const LevelReport& levels);

/// One value that would help.
struct Proposal {
    size_t stage = 0, parameter = 0;
    double value = 0.0;
    std::string text;  ///< what it does, as a button says it
};

struct Verdict {
    Advice advice;
    std::optional<Proposal> proposal;
};

/// Judges the chain as a whole by the loudness of what leaves it, in LUFS (ITU-R BS.1770, gated): how far it
/// is from `target`, and the one thing to turn first. A voice is brought to about -22 dBFS by the gain before
/// the rest is left to the make-up (common practice, no source). Nothing to say before a voice was heard.
Verdict feed_verdict(const ChainSpec& chain, const LevelReport& levels, std::optional<double> loudness,
                     double target);

inline constexpr double kSilentPeak = -110.0;  ///< dBFS; digital silence: no converter is that quiet

/// What the highest sample of talk at the microphone should be, dBFS (common practice, no source): from
/// kLowPeak to kHotPeak is right, kUsualPeak is in the middle of it.
inline constexpr double kHotPeak = -6.0, kUsualPeak = -12.0, kLowPeak = -15.0;

/// Judges the level of the microphone itself: too low, right, too hot, and by how much.
/// `clipped`: samples clipped at the source in the time the levels are of.
Advice input_advice(const LevelReport& levels, std::uint64_t clipped);

}  // namespace reed
