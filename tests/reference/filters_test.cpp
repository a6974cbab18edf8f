// Filters against the analogue prototypes of R. Bristow-Johnson, "Cookbook formulae for audio EQ biquad
// filter coefficients" (W3C Note), written out here a second time from the note.
#include <catch2/catch.hpp>
#include <cmath>
#include <complex>
#include <numbers>

#include "dsp/filter_design.h"
#include "stages/equalizer.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;
using Complex = std::complex<double>;

namespace {

/// The note's H(s), s in units of the frequency; Butterworth cuts from their pole angles.
Complex cookbook(const BandSettings& b, double frequency) {
    const Complex s(0.0, frequency / b.frequency);
    const double a = std::pow(10.0, b.gain_db / 40.0);
    const double q = b.q;
    const double r = std::sqrt(a);
    switch (b.type) {
        case FilterType::bell:
            return (s * s + s * (a / q) + 1.0) / (s * s + s / (a * q) + 1.0);
        case FilterType::low_shelf:
            return a * (s * s + (r / q) * s + a) / (a * s * s + (r / q) * s + 1.0);
        case FilterType::high_shelf:
            return a * (a * s * s + (r / q) * s + 1.0) / (s * s + (r / q) * s + a);
        case FilterType::notch:
            return (s * s + 1.0) / (s * s + s / q + 1.0);
        case FilterType::tilt:
            return (a * s + 1.0) / (s + a);
        default:
            break;
    }
    const int order = b.slope / 6;
    const Complex v = b.type == FilterType::high_cut ? s : 1.0 / s;
    if (order == 2) return 1.0 / (v * v + v / q + 1.0);
    Complex out = 1.0;
    for (int k = 0; k < order; ++k) {
        const double angle = std::numbers::pi * (2.0 * k + order + 1.0) / (2.0 * order);
        out *= 1.0 / (v - std::polar(1.0, angle));
    }
    return out;
}

double level(Complex h) {
    return 20 * std::log10(std::max(std::abs(h), 1e-12));
}

const char* type_name(FilterType t) {
    return t == FilterType::bell ? "bell" : (t == FilterType::low_shelf ? "low shelf" : "high shelf");
}

/// Largest difference in dB up to `highest` Hz, where the prototype is above -60 dB.
double error_db(const BandSettings& b, double rate, double highest) {
    const Sections digital = design(b, rate);
    double worst = 0.0;
    for (double f = 15.0; f < highest; f *= 1.03) {
        const double wanted = level(cookbook(b, f));
        if (wanted < -60.0) continue;
        worst = std::max(worst, std::abs(level(digital.response(f, rate)) - wanted));
    }
    return worst;
}

}  // namespace

TEST_CASE("prototype sections multiply to the Cookbook's H(s)", "[reference][filter]") {
    for (int type = 0; type <= static_cast<int>(FilterType::tilt); ++type) {
        for (const int slope : {6, 12, 18, 24, 30, 36, 42, 48}) {
            const BandSettings b{static_cast<FilterType>(type), 700, -7, 0.9, slope};
            for (const double f : {20.0, 300.0, 700.0, 1500.0, 9000.0}) {
                Complex product = 1.0;
                for (const auto& p : prototypes(b)) product *= p.response(f);
                INFO("type " << type << " slope " << slope << " f " << f);
                CHECK(level(product) == Approx(level(cookbook(b, f))).margin(1e-6));
            }
        }
    }
}

TEST_CASE("in the voice's range every filter follows its prototype", "[reference][filter]") {
    for (const double rate : {44100.0, 48000.0, 96000.0, 192000.0}) {
        for (const double f0 : {20.0, 75.0, 250.0, 1000.0, 4000.0}) {
            for (const double gain : {-12.0, -4.0, -1.0, 1.0, 4.0, 12.0}) {
                for (const double q : {0.5, 0.71, 1.0, 2.0, 8.0}) {
                    for (const auto type :
                         {FilterType::bell, FilterType::low_shelf, FilterType::high_shelf}) {
                        if (type != FilterType::bell && q > 1.0) continue;
                        const BandSettings b{type, f0, gain, q, 12};
                        INFO("type " << static_cast<int>(type) << " " << f0 << " Hz " << gain << " dB Q " << q
                                     << " rate " << rate);
                        CHECK(error_db(b, rate, 18000.0) < 0.5);
                    }
                }
            }
        }
    }
}

TEST_CASE("bells and shelves do not cramp: within 0.5 dB up to 18 kHz for frequencies up to 16 kHz",
          "[reference][filter][figures]") {
    double worst = 0.0;
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (double f0 = 20.0; f0 <= 16000.0; f0 *= 1.19) {
            for (const double gain :
                 {-24.0, -18.0, -12.0, -6.0, -3.0, -1.0, 1.0, 3.0, 6.0, 12.0, 18.0, 24.0}) {
                for (const double q : {0.1, 0.2, 0.3, 0.5, 0.71, 1.0, 2.0, 4.0, 10.0, 30.0}) {
                    for (const auto type :
                         {FilterType::bell, FilterType::low_shelf, FilterType::high_shelf}) {
                        // Shelves: to the Q at which they begin to ring by more than half their gain.
                        if (type != FilterType::bell && (q < 0.3 || q > 1.0)) continue;
                        const BandSettings b{type, f0, gain, q, 12};
                        const Sections s = design(b, rate);
                        const double e = error_db(b, rate, std::min(18000.0, 0.375 * rate));
                        worst = std::max(worst, e);
                        INFO("type " << type_name(type) << " " << f0 << " Hz " << gain << " dB Q " << q
                                     << " rate " << rate << " error " << e);
                        REQUIRE(std::abs(s.biquads[0].a2) < 1.0);
                        REQUIRE(std::abs(s.biquads[0].a1) < 1.0 + s.biquads[0].a2);
                        CHECK(e < 0.5);
                    }
                }
            }
        }
    }
    INFO("largest error " << worst << " dB");
    CHECK(worst < 0.5);
}

TEST_CASE("cuts have their Butterworth slopes and -3 dB at the corner", "[reference][filter]") {
    for (const int slope : {6, 12, 18, 24, 30, 36, 42, 48}) {
        const BandSettings low{FilterType::low_cut, 100, 0, std::sqrt(0.5), slope};
        const BandSettings high{FilterType::high_cut, 1000, 0, std::sqrt(0.5), slope};
        CHECK(level(design(low, 48000).response(100, 48000)) == Approx(-3.01).margin(0.02));
        CHECK(level(design(high, 48000).response(1000, 48000)) == Approx(-3.01).margin(0.05));
        CHECK(error_db(low, 48000, 18000) < 0.1);
        // One octave further down it is `slope` dB quieter, once well below the corner.
        const double octave =
            level(design(low, 48000).response(25, 48000)) - level(design(low, 48000).response(12.5, 48000));
        CHECK(octave == Approx(slope).margin(0.6));
    }
}

TEST_CASE("a notch is silent at its frequency and 0 dB far away", "[reference][filter]") {
    const Sections n = design({FilterType::notch, 50, 0, 10, 12}, 48000);
    CHECK(level(n.response(50, 48000)) < -100.0);
    CHECK(level(n.response(500, 48000)) == Approx(0.0).margin(0.05));
    CHECK(level(n.response(25, 48000)) == Approx(0.0).margin(0.1));
}

TEST_CASE("a boost and the same cut cancel exactly", "[reference][filter]") {
    for (const double f : {30.0, 1000.0, 7000.0, 15000.0}) {
        const Complex up = design({FilterType::bell, 5000, 9, 0.8, 12}, 48000).response(f, 48000);
        const Complex down = design({FilterType::bell, 5000, -9, 0.8, 12}, 48000).response(f, 48000);
        CHECK(std::abs(up * down - 1.0) < 1e-9);
    }
}

TEST_CASE("the running equalizer has the response that is drawn", "[reference][filter]") {
    const StageSpec eq =
        stage("equalizer", {{"band2_gain", 6}, {"band3_gain", -8}, {"band4_gain", 3}, {"band5_gain", -4}});
    for (const double f : {60.0, 110.0, 400.0, 1000.0, 4000.0, 10000.0}) {
        const auto out = run(chain_of({eq}), sine(f, 0.1, 1.0));
        const double measured = db(tone_amplitude(out, f, 48000, 24000) / 0.1);
        CHECK(measured == Approx(equalizer_response_db(eq.values, f, 48000)).margin(0.02));
    }
}
