// What the tests of suppression share.
#pragma once

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <string>
#include <vector>

#include "chain/chain.h"
#include "stages/suppression.h"
#include "support/noises.h"
#include "support/signals.h"

namespace reed::test {

inline constexpr double kRates[] = {44100.0, 48000.0, 88200.0, 96000.0, 192000.0};

struct Way {
    std::string method;
    double index, delay;
};
inline const Way kWays[] = {{"adaptive", 0, 0},  {"adaptive, short", 0, 1},  {"neural", 1, 0},
                            {"room tone", 2, 0}, {"room tone, short", 2, 1}, {"neural, short", 1, 1}};

inline std::vector<float> scaled(std::vector<float> x, double gain) {
    for (float& v : x) v = static_cast<float>(v * gain);
    return x;
}

inline NoiseProfile tone_of(Noise which, double gain) {
    const auto learnt = learn_noise_profile(scaled(make_noise(which, 4.0, 77), gain), 48000);
    REQUIRE(learnt.ok());
    return learnt.value();
}

inline ChainSpec chain_for(const Way& way, double amount, const NoiseProfile& tone) {
    StageSpec s = stage("suppression", {{"method", way.index}, {"delay", way.delay}, {"amount", amount}});
    if (way.index == 2) s.taught = memory_of(tone);
    return chain_of({s});
}

/// dB by which the part of `y` that follows `s` is louder than it.
inline double follows(const std::vector<float>& s, const std::vector<float>& y) {
    double cross = 0.0;
    double power = 0.0;
    for (size_t i = 0; i < s.size(); ++i) {
        cross += static_cast<double>(s[i]) * y[i];
        power += static_cast<double>(s[i]) * s[i];
    }
    return db(cross / power);
}

/// Lag at which `out` follows `in` best, within +-`reach`.
inline int lag_of(const std::vector<float>& in, const std::vector<float>& out, size_t first, size_t count,
                  int reach) {
    double best = -1e30;
    int best_lag = 0;
    for (int lag = -reach; lag <= reach; ++lag) {
        double sum = 0.0;
        for (size_t i = first; i < first + count; ++i)
            sum += static_cast<double>(in[i]) * out[static_cast<size_t>(static_cast<long>(i) + lag)];
        if (sum > best) {
            best = sum;
            best_lag = lag;
        }
    }
    return best_lag;
}

}  // namespace reed::test
