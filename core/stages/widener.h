// Widener: gives a voice of one channel some width.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Adds to the sides a copy of the middle whose phases are scattered (four all-passes in a row, M. R.
/// Schroeder, "Natural sounding artificial reverberation", 1962; delays of 0.7 to 1.9 ms) and whose lows are
/// left out, with opposite signs: the sum of both channels stays what it was, to rounding. Two channels; with
/// one it passes the sound and says so. No latency.
extern const StageKind kWidenerStage;

}  // namespace reed
