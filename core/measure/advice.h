// What the levels say about a stage's settings, in plain words.
#pragma once

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

/// Judges the level of the microphone itself: too low, right, too hot, and by how much.
/// `clipped`: samples clipped at the source in the time the levels are of.
Advice input_advice(const LevelReport& levels, std::uint64_t clipped);

}  // namespace reed
