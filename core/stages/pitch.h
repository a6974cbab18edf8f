// Pitch: the voice higher or lower, its size apart from it, and snapped to the notes of a scale.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Pitch-synchronous overlap-add (VoiceGrains). What has no pitch, such as s and breath, keeps its own; only
/// its size moves. Loudness kept. Delay: 47.5 ms at any setting.
extern const StageKind kPitchStage;

}  // namespace reed
