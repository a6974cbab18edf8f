// Leveller: brings a voice that wanders back to its level, over seconds.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Measures the level of speech alone (mean square over the time set, only while somebody speaks: what a
/// stage before it knows, or its own ear for periodic sound above the room) and turns the gain slowly towards
/// the level wanted. What it lifts, it lifts while there is speech only: in a pause the room is never lifted.
/// No latency.
extern const StageKind kLevellerStage;

}  // namespace reed
