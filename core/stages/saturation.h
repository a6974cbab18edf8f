// Saturation: warmth by harmonics.
#pragma once

#include "stages/stage.h"

namespace reed {

/// A soft curve (hyperbolic tangent, unity gain for quiet sound) after a drive of 0 to 20 dB, at four times
/// the rate. Odd harmonics, or even ones the more the balance is moved: the curve's working point goes to
/// where its third derivative is zero. What the curve adds is tilted by `tone`, mixed with the untouched
/// sound, and the loudness of the whole brought back over half a second. Latency: 34 frames, at every rate.
extern const StageKind kSaturationStage;

}  // namespace reed
