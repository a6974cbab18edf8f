// Ducking: lowers a signal while another one is active.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Lowers the signal by a fixed amount while its sidechain (StageSpec::key) contains speech, or is above a
/// threshold. Attack and release are linear in dB; the gain returns at most by 20 dB/s, so that there is no
/// pumping. Without a sidechain the gain stays constant. Latency 0. Lowering app audio by 3 to 6 dB is common
/// practice, no source.
extern const StageKind kDuckingStage;

}  // namespace reed
