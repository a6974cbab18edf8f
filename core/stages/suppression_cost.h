// What a method of suppression costs on this machine.
#pragma once

#include "stages/suppression.h"

namespace reed {

struct MethodCost {
    double delay_ms = 0.0;
    double share = 0.0;  ///< of one core, 0 to 1, for one channel
};

/// Runs the method on a second of made noise and takes the time this thread needed. `sample_rate` in Hz.
/// Takes some tens of milliseconds; not for the audio thread.
MethodCost measure_method(SuppressionKind kind, double sample_rate, bool short_delay);

}  // namespace reed
