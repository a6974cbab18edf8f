// Widener: adds stereo width to a mono voice.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Adds a decorrelated copy of the mid signal to the side signal (four all-passes in series, M. R.
/// Schroeder, "Natural sounding artificial reverberation", 1962; delays of 0.7 to 1.9 ms) without low
/// frequencies. The sum of both channels is unchanged except for rounding. With mono input audio passes
/// unchanged, and the fault text says so. No latency.
extern const StageKind kWidenerStage;

}  // namespace reed
