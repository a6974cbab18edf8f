// Refines a digital second-order filter so that its magnitude follows an analogue prototype to the top.
#pragma once

#include "dsp/filter_design.h"

namespace reed {

/// Least squares in dB over 28 frequencies from 20 Hz to 0.375 of the sample rate (18 kHz at 48 kHz) and 7
/// around the prototype's own, by a
/// few damped Gauss-Newton steps (K. Levenberg 1944, D. Marquardt 1963) from `start`. Steps that would make
/// the filter unstable, or its inverse, are not taken; the result is never worse than the start.
/// About 15 microseconds; does not allocate.
Biquad fit_magnitude(const Biquad& start, const Prototype& prototype, double sample_rate);

}  // namespace reed
