// Doubler: adds slightly delayed and detuned copies of the voice.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Delayed copies whose delay is modulated slowly, which varies their pitch (chorus; J. Dattorro,
/// "Effect design, part 2: delay-line modulation and chorus", JAES 45 (10), 1997). The dry voice is not
/// delayed. Preserves the loudness of noise.
extern const StageKind kDoublerStage;

}  // namespace reed
