// Brings a chain to a loudness on the recordings of a soundcheck.
#pragma once

#include "soundcheck/step_sound.h"

namespace reed {

/// Index of the stage whose gain sets the loudness: the last compressor, or else the last gain; -1: none.
int lifting_stage(const ChainSpec& chain);

/// Sets the gain of stage `at` so that the talk leaves the chain at `target` LUFS, within the range of its
/// row. `before`: the recordings as they come to it. Returns the run of the stages from `at` on.
Result<ChainRun> bring_to_loudness(ChainSpec& chain, size_t at, const AudioBuffer& before,
                                   const StepSound& steps, double target);

}  // namespace reed
