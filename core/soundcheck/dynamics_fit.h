// Settings of gates, compressors and de-essers by what they do to recorded talk.
#pragma once

#include <vector>

#include "chain/chain_spec.h"
#include "soundcheck/step_sound.h"

namespace reed {

/// Between background noise and quiet speech a gate needs so much distance, an expander so much, in dB
/// (common practice, no source).
inline constexpr double kGateNeeds = 14.0, kExpanderNeeds = 8.0;

/// Gates (where `quiet` lies kGateNeeds above `under`) and expanders with thresholds between noise at `under`
/// and quiet speech at `quiet` dBFS, at most `range` dB deep, from the firmest to the gentlest. Their ids are
/// unique in `chain`.
std::vector<StageSpec> gate_candidates(const ChainSpec& chain, double under, double quiet, double range);

/// Sets the threshold of a compressor so that it reduces the speech of `talk` (`classes`: every 10 ms of it)
/// by `by` dB in the median. Returns what it reaches.
double reach_reduction(StageSpec& compressor, const AudioBuffer& talk, double sample_rate,
                       const std::vector<FrameClass>& classes, double by);

/// Sets the threshold of a de-esser so that the sharpest s sounds of `talk` are `by` dB lower at most.
/// Returns by how much they are.
double lower_sibilance(StageSpec& deesser, const AudioBuffer& talk, double sample_rate, double by);

}  // namespace reed
