// Compressor: evens out the level of the voice.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Feed-forward compressor in the log domain (Giannoulis, Massberg, Reiss 2012) with knee, peak or RMS
/// detection, programme-dependent release, side-chain low cut, mix and make-up by hand or automatic.
/// Attack and release: 63 % of the way in dB. Latency: the look-ahead.
extern const StageKind kCompressorStage;

}  // namespace reed
