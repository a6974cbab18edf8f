// Frequency weighting for loudness.
#pragma once

#include "dsp/filter_design.h"

namespace reed {

/// ITU-R BS.1770's K-weighting within half a decibel: a shelf of 4 dB, and a low cut.
inline Sections k_weighting(double sample_rate) {
    Sections out = design({FilterType::high_shelf, 1500.0, 4.0, 0.7071, 12}, sample_rate);
    out.biquads[1] = design({FilterType::low_cut, 38.0, 0.0, 0.5, 12}, sample_rate).biquads[0];
    out.count = 2;
    return out;
}

}  // namespace reed
