// Expander: lowers the room gradually; heard less than a gate.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Downward expander with ratio, knee and range. Attack: time in which the gain makes 63 % of its way up
/// (in dB) when the voice comes; release: the same on its way down. No latency.
extern const StageKind kExpanderStage;

}  // namespace reed
