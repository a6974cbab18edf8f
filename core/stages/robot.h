// Robot: vocoder and ring modulation.
#pragma once

#include "stages/stage.h"

namespace reed {

/// A channel vocoder (H. Dudley, "The vocoder", Bell Laboratories Record 18, 1939): the levels of
/// the voice in sixteen bands modulate a tone, and noise for unvoiced sounds. Or ring modulation: the voice
/// times a tone. Preserves loudness. The dry voice is not delayed. Stereo is summed to mono.
extern const StageKind kRobotStage;

}  // namespace reed
