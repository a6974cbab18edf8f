// Expander: lowers background noise gradually, less noticeably than a gate.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Downward expander with ratio, knee and range. Attack: time for 63 % of a rise of the gain in dB when the
/// voice starts; release: the same for a fall. No latency.
extern const StageKind kExpanderStage;

}  // namespace reed
