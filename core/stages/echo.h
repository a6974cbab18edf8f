// Echo: the voice again, and again, ever softer.
#pragma once

#include "stages/stage.h"

namespace reed {

/// One delay whose end feeds its beginning. Each repeat is softer by `repeats` and darker by a low-pass of
/// the first order at `tone`. Loudness kept: noise leaves it as loud as it came. Another time is faded to in
/// 50 ms. The voice itself is not delayed.
extern const StageKind kEchoStage;

}  // namespace reed
