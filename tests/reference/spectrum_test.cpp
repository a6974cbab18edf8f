// Spectrum readings against known tones and noises.
#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "measure/spectrum.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

constexpr double kRate = 48000.0;

SpectrumMeter meter_of(const std::vector<float>& x, int length = 8192) {
    SpectrumMeter m(kRate, length, 1e6);
    m.add(x);
    return m;
}

/// Pink noise as a sum of first-order filters an octave apart, each fed with noise of its own.
std::vector<float> pink_noise(double seconds) {
    std::vector<float> out = silence(seconds);
    for (int i = 0; i < 14; ++i) {
        const double corner = 2.0 * std::pow(2.0, i);
        const auto part = dull_noise(1.0, corner, seconds, static_cast<std::uint32_t>(100 + i));
        // First-order noise of RMS 1 has its power in proportion to 1 / corner below the corner.
        for (size_t k = 0; k < out.size(); ++k) out[k] += 0.02f * part[k];
    }
    return out;
}

double slope(const SpectrumMeter& m, SpectrumWidth width, double low, double high) {
    const double octaves = std::log2(high / low);
    return (m.level(high, 1.0, width) - m.level(low, 1.0, width)) / octaves;
}

}  // namespace

TEST_CASE("a full-scale sine reads 0 dB in every length and width", "[spectrum]") {
    for (const int length : {2048, 8192}) {
        // On a bin, between bins, and near the ends.
        for (const double bin : {20.0, 20.5, 170.0, 700.25}) {
            const double f = bin * kRate / length;
            const auto m = meter_of(sine(f, 1.0, 2.0), length);
            INFO(length << " " << bin);
            for (const double share : {0.0, 1.0 / 24.0, 1.0 / 6.0, 1.0 / 3.0})
                CHECK(m.level(f, share, SpectrumWidth::octave_share) == Approx(0.0).margin(0.1));
            // Harris 1978, table 1: scalloping loss of the Hann window 1.42 dB.
            const double on_bin = std::abs(bin - std::round(bin)) < 1e-9 ? 0.05 : 1.43;
            CHECK(m.level(f, 0.0, SpectrumWidth::constant) <= 0.05);
            CHECK(m.level(f, 0.0, SpectrumWidth::constant) >= -on_bin);
            // Two octaves away there is nothing.
            CHECK(m.level(4.0 * f, 0.0, SpectrumWidth::constant) < -90.0);
        }
    }
    CHECK(meter_of(sine(1000, 0.1, 1.0)).level(1000, 1.0 / 6.0, SpectrumWidth::octave_share) ==
          Approx(-20.0).margin(0.1));
}

TEST_CASE("white noise is level in constant width and rises 3 dB per octave in shares of an octave",
          "[spectrum]") {
    const auto m = meter_of(noise(0.1, 20.0, 7));
    CHECK(slope(m, SpectrumWidth::constant, 200, 12800) == Approx(0.0).margin(0.1));
    CHECK(slope(m, SpectrumWidth::octave_share, 200, 12800) == Approx(3.01).margin(0.1));
    // All of it together: an octave share of the whole band. RMS 0.1 is -16.99 dBFS (AES17).
    double sum = 0.0;
    for (const double p : m.powers()) sum += p;
    CHECK(10.0 * std::log10(sum / 1.5) == Approx(-16.99).margin(0.1));
}

TEST_CASE("pink noise falls 3 dB per octave in constant width and is level in shares of an octave",
          "[spectrum][figures]") {
    const auto m = meter_of(pink_noise(30.0));
    CHECK(slope(m, SpectrumWidth::constant, 100, 6400) == Approx(-3.01).margin(0.25));
    CHECK(slope(m, SpectrumWidth::octave_share, 100, 6400) == Approx(0.0).margin(0.25));
}

TEST_CASE("the hold keeps the highest and falls by 6 dB per second", "[spectrum]") {
    SpectrumMeter m(kRate, 2048, 0.3);
    m.add(sine(1500, 1.0, 1.0));
    m.add(silence(2.0));
    CHECK(m.level(1500, 0.0, SpectrumWidth::constant, SpectrumMeter::Kind::hold) ==
          Approx(-12.0).margin(0.4));
    CHECK(m.level(1500, 0.0, SpectrumWidth::constant) < -25.0);
    m.restart();
    CHECK(m.level(1500, 0.0, SpectrumWidth::constant) <= -150.0);
}

TEST_CASE("a resonance that lasts is found where it is, and not in the voice without it", "[spectrum]") {
    auto words = spoken_words(3);
    ResonanceFinder clean(kRate);
    ResonanceFinder boxed(kRate);
    ResonanceFinder silent(kRate);
    const auto with = run(chain_of({stage("equalizer", {{"band3_on", 1},
                                                        {"band3_type", 0},
                                                        {"band3_frequency", 430},
                                                        {"band3_gain", 15},
                                                        {"band3_q", 8}})}),
                          words);
    for (size_t i = 0; i + 480 <= words.size(); i += 480) {
        const bool speaking = rms(words, i, 480) > 0.01;
        clean.add({&words[i], 480}, speaking);
        boxed.add({&with[i], 480}, speaking);
        silent.add({&words[i], 480}, false);
    }
    REQUIRE(clean.seconds() > 4.0);
    CHECK(silent.find().empty());
    const auto found = boxed.find();
    REQUIRE_FALSE(found.empty());
    CHECK(found[0].frequency == Approx(430.0).epsilon(0.05));
    CHECK(found[0].height > 7.0);
    CHECK((found[0].width > 3.0 && found[0].width < 20.0));
    for (const auto& r : clean.find()) {
        CHECK(r.height < found[0].height - 1.0);
        CHECK(std::abs(std::log2(r.frequency / 430.0)) > 0.3);
    }
}
