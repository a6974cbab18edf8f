// Ducking: lowers one sound a little while another one is there.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Lowers all that passes by a fixed amount while the strip it listens to (StageSpec::key) speaks, or is
/// above a threshold. The way down takes the attack, the way up the release, both straight in dB; up, never
/// faster than 20 dB a second, so that it is not heard as pumping. Without a key it stays where it is.
/// Latency 0. That the programme falls by some 3 to 6 dB is common practice, no source.
extern const StageKind kDuckingStage;

}  // namespace reed
