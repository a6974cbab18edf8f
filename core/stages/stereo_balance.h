// Balance: the two channels against each other.
#pragma once

#include "stages/stage.h"

namespace reed {

/// In this order: which side goes where, polarity of the right one, middle and side level, left and right
/// level, and a delay of one side of up to 20 ms. -60 dB is silence. Two channels; with one only the left
/// level acts, and it says so. No latency: the side that is not delayed passes at once.
extern const StageKind kStereoBalanceStage;

}  // namespace reed
