// Plosives: reduces bursts of air of "p" and "b", and knocks on the desk.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Compares the level below 90 Hz with the voice between 150 and 1500 Hz, relative to the typical ratio of
/// this voice, which it learns, so that low voices are not reduced. Reduces bursts by a dynamic low shelf.
/// Latency: the look-ahead.
extern const StageKind kPlosivesStage;

}  // namespace reed
