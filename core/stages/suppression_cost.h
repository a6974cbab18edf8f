// CPU load of a noise suppression method on this computer.
#pragma once

#include "stages/suppression.h"

namespace reed {

struct MethodCost {
    double delay_ms = 0.0;
    double share = 0.0;  ///< of one core, 0 to 1, for one channel
};

/// Runs the method on one second of generated noise and measures the CPU time of this thread. `sample_rate`
/// in Hz. Takes some 10 ms; not on the audio thread.
MethodCost measure_method(SuppressionKind kind, double sample_rate, bool short_delay);

}  // namespace reed
