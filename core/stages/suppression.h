// Suppression: takes steady noise out while the voice goes on.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Adaptive method (SpeexDSP's preprocessor: minimum statistics, no gain control, no echo handling) on
/// frames of 10 ms. Amount 0 to -60 dB; at 0 the sound passes unchanged. Latency: 20 ms.
extern const StageKind kSuppressionStage;

}  // namespace reed
