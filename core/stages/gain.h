// Gain: level, polarity and channel choice of the voice.
#pragma once

#include "stages/stage.h"

namespace reed {

/// -30 to +30 dB; polarity; which channel of a stereo device to use; DC block (first-order low cut at
/// 5 Hz). No latency.
extern const StageKind kGainStage;

}  // namespace reed
