// The true peak as libebur128 finds it (ITU-R BS.1770, Annex 2), which is not how we do.
#pragma once

#include <ebur128.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <vector>

#include "base/decibel.h"

namespace reed::test {

/// dBTP of one channel.
inline double reference_true_peak(const std::vector<float>& x, double rate = 48000) {
    ebur128_state* meter = ebur128_init(1, static_cast<unsigned long>(rate), EBUR128_MODE_TRUE_PEAK);
    REQUIRE(meter != nullptr);
    ebur128_add_frames_float(meter, x.data(), x.size());
    double peak = 0.0;
    CHECK(ebur128_true_peak(meter, 0, &peak) == EBUR128_SUCCESS);
    ebur128_destroy(&meter);
    return gain_to_db(peak);
}

}  // namespace reed::test
