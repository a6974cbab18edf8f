#include <catch2/catch.hpp>
#include <cmath>

#include "measure/howl.h"
#include "support/noises.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Second at which it cries, or below 0.
double cries(const std::vector<float>& x, double rate = 48000.0) {
    HowlDetector d(rate);
    for (size_t i = 0; i + 512 <= x.size(); i += 512) {
        if (d.add({&x[i], 512})) return static_cast<double>(i) / rate;
    }
    return -1.0;
}

}  // namespace

TEST_CASE("feedback that builds up is noticed within half a second of being heard", "[howl]") {
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const double f : {310.0, 1240.0, 5200.0}) {
            // Grows by 30 dB a second, under a talking voice's noise floor at first.
            auto x = noise(0.002, 3.0, 1, rate);
            for (size_t i = 0; i < x.size(); ++i) {
                const double t = static_cast<double>(i) / rate;
                x[i] += static_cast<float>(std::min(0.9, 0.0005 * std::pow(10.0, 1.5 * t)) *
                                           std::sin(2.0 * 3.14159265358979 * f * t));
            }
            const double at = cries(x, rate);
            INFO(rate << " " << f);
            CHECK(at > 0.5);
            // -40 dBFS is reached after 0.87 s.
            CHECK(at < 1.9);
        }
    }
}

TEST_CASE("voices, noises and chimes are no feedback", "[howl]") {
    CHECK(cries(spoken_words(2)) < 0.0);
    for (const Noise n : kNoises) {
        auto x = make_noise(n, 5.0, 3);
        for (float& v : x) v *= 0.05f;
        INFO(noise_name(n));
        CHECK(cries(x) < 0.0);
    }
    // A struck glass rings out.
    auto glass = sine(2100, 0.3, 3.0);
    for (size_t i = 0; i < glass.size(); ++i)
        glass[i] *= static_cast<float>(std::exp(-static_cast<double>(i) / 9600));
    CHECK(cries(glass) < 0.0);
    CHECK(cries(silence(1.0)) < 0.0);
}
