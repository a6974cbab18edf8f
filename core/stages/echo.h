// Echo: decaying repeats of the voice.
#pragma once

#include "stages/stage.h"

namespace reed {

/// A delay line with feedback. Each repeat is attenuated by `repeats` and filtered by a first-order low-pass
/// at `tone`. Preserves the loudness of noise. A new time is cross-faded within 50 ms. The dry voice is not
/// delayed.
extern const StageKind kEchoStage;

}  // namespace reed
