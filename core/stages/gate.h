// Gate: removes background noise between words.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Opens when the level reaches the opening threshold, closes when it has stayed below the lower closing
/// threshold for the hold time. Level: RMS over 5 ms (one-pole), of the detector band only. Attack and
/// release: time for 63 % of a change of the (linear) gain. Latency: the look-ahead.
extern const StageKind kGateStage;

}  // namespace reed
