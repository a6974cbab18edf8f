// Limiter: the last stage of a chain.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Look-ahead limiter. No output sample is above the ceiling, for any input; with true peak on, the peaks
/// between the samples are limited as well (ITU-R BS.1770 Annex 2, fourfold oversampling). Latency: the
/// look-ahead, plus 6 frames with true peak on.
extern const StageKind kLimiterStage;

}  // namespace reed
