// Saturation: adds harmonics.
#pragma once

#include "stages/stage.h"

namespace reed {

/// A soft curve (hyperbolic tangent, unity gain for quiet sound) after a drive of 0 to 20 dB, with fourfold
/// oversampling. Odd harmonics; `even` moves the operating point to where the third derivative is zero,
/// for even ones. The added harmonics are tilted by `tone` and mixed with the dry signal; the total loudness
/// is restored within 0.5 s. Latency: 34 frames, at every rate.
extern const StageKind kSaturationStage;

}  // namespace reed
