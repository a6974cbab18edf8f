// Leveller: corrects slow changes of the level of the voice.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Measures the level of speech only (mean square over the set time, during speech as detected by an earlier
/// stage, or by periodic sound above the noise) and moves the gain slowly towards the target level. The gain
/// rises during speech only, so that background noise in pauses is never raised. No latency.
extern const StageKind kLevellerStage;

}  // namespace reed
