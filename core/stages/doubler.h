// Doubler: more voices beside the voice, each a little late and a little off.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Delayed copies whose delay moves slowly, so that their pitch does (a chorus of voices; J. Dattorro,
/// "Effect design, part 2: delay-line modulation and chorus", JAES 45 (10), 1997). The voice itself is not
/// delayed. Loudness kept: noise leaves it as loud as it came.
extern const StageKind kDoublerStage;

}  // namespace reed
