// Stereo balance.
#pragma once

#include "stages/stage.h"

namespace reed {

/// In this order: routing of the channels, polarity of the right one, mid and side level, left and right
/// level, delay of one channel up to 20 ms. -60 dB is silence. With mono input only the left level acts, and
/// the fault text says so. No latency: the other channel is not delayed.
extern const StageKind kStereoBalanceStage;

}  // namespace reed
