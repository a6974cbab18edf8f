// Refines a digital second-order filter so that its magnitude matches an analogue prototype up to high
// frequencies.
#pragma once

#include "dsp/filter_design.h"

namespace reed {

/// Least squares in dB over 28 frequencies from 20 Hz to 0.375 of the sample rate (18 kHz at 48 kHz) and 7
/// around the frequency of the prototype, by a
/// few damped Gauss-Newton steps (K. Levenberg 1944, D. Marquardt 1963) from `start`. Steps that would make
/// the filter or its inverse unstable are skipped; the result is never worse than the start. Takes about 15
/// us. Does not allocate.
Biquad fit_magnitude(const Biquad& start, const Prototype& prototype, double sample_rate);

}  // namespace reed
