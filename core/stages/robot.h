// Robot: the words on a tone of its own.
#pragma once

#include "stages/stage.h"

namespace reed {

/// A channel vocoder (H. Dudley, "The vocoder", Bell Laboratories Record 18, 1939): the levels of the voice
/// in sixteen bands are put on a tone, and on noise where it hisses; or ring modulation: the voice times a
/// tone. Loudness kept. The voice itself is not delayed. Two channels become one.
extern const StageKind kRobotStage;

}  // namespace reed
