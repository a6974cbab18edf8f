// Plosives: catches the gusts of "p" and "b", and knocks on the desk.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Holds the level below 90 Hz against the voice between 150 and 1500 Hz, and that against what this voice
/// has there itself, which it learns: a gust is far more than a voice, however low. Takes it down by a moving
/// low shelf. Latency: the look-ahead.
extern const StageKind kPlosivesStage;

}  // namespace reed
