// Doubler and robot: who joins in, and what is left of the words.
#include <catch2/catch.hpp>
#include <cmath>

#include "base/decibel.h"
#include "chain/chain.h"
#include "measure/intelligibility.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

AudioBuffer run_stereo(const ChainSpec& chain, const std::vector<float>& x) {
    AudioBuffer sound = stereo(x, x);
    auto built = Chain::build(chain, {48000, 2});
    REQUIRE(built.ok());
    for (size_t i = 0; i + kSubBlock <= sound.frames(); i += kSubBlock)
        built.value()->process(sound.block(i, kSubBlock));
    return sound;
}

}  // namespace

TEST_CASE("a doubler makes nothing louder, however many join in", "[reference]") {
    const auto x = dull_noise(0.05, 3000, 4.0, 8);
    for (const double level : {-20.0, -4.0, 6.0}) {
        for (const double voices : {1.0, 2.0, 8.0}) {
            const ChainSpec chain = chain_of({stage("doubler", {{"level", level}, {"voices", voices}})});
            const auto y = run(chain, x);
            INFO(level << " dB, " << voices);
            CHECK(db(rms(y, 48000, 120000) / rms(x, 48000, 120000)) == Approx(0.0).margin(0.5));
            const AudioBuffer wide = run_stereo(chain, x);
            const double left = rms(wide[0], 48000, 120000), right = rms(wide[1], 48000, 120000);
            CHECK(db(std::sqrt(0.5 * (left * left + right * right)) / rms(x, 48000, 120000)) ==
                  Approx(0.0).margin(0.5));
        }
    }
}

TEST_CASE("the voices that join in come late and off pitch by what is set", "[reference][figures]") {
    // A click comes back once a voice, within 12 to 108 ms.
    std::vector<float> click(48000);
    click[1000] = 1.0f;
    for (const double apart : {0.0, 35.0, 100.0}) {
        const auto y =
            run(chain_of({stage("doubler", {{"voices", 4}, {"level", 0}, {"apart", apart}})}), click);
        size_t first = 0, last = 0;
        for (size_t i = 1100; i < y.size(); ++i) {
            if (std::abs(y[i]) < 0.05f) continue;
            if (first == 0) first = i;
            last = i;
        }
        INFO(apart);
        CHECK(first >= 1000 + 12 * 48 - 3);
        CHECK(last <= 1000 + static_cast<size_t>((12.0 + 0.96 * apart) * 48.0) + 3);
        if (apart == 100.0) CHECK(last > 1000 + 60 * 48);
    }
    // A tone spreads by no more than 25 cents (14.5 Hz of 1 kHz) to either side.
    const auto y = run(chain_of({stage("doubler", {{"voices", 8}, {"level", 6}, {"apart", 100}})}),
                       sine(1000, 0.1, 6.0));
    const auto part = [&](double from, double to) {
        double sum = 0.0;
        for (double f = from; f <= to; f += 0.25) {
            const double a = tone_amplitude(y, f, 48000, 48000);
            sum += a * a;
        }
        return sum;
    };
    CHECK(10.0 * std::log10(part(1018, 1040) / part(984, 1016)) < -30.0);
    CHECK(10.0 * std::log10((part(1003, 1016) + part(984, 997)) / part(984, 1016)) > -12.0);
}

TEST_CASE("a robot speaks at its own pitch with the loudness of the voice, and is understood",
          "[reference][figures]") {
    const auto x = spoken_words();
    for (const double tone : {90.0, 110.0, 180.0}) {
        const auto y = run(chain_of({stage("robot", {{"pitch", tone}})}), x);
        INFO(tone);
        CHECK(db(rms(y) / rms(x)) == Approx(0.0).margin(2.0));
        // Nearly all of it stands at multiples of the tone.
        double at = 0.0, between = 0.0;
        for (int k = 1; k <= 12; ++k) {
            at += std::pow(tone_amplitude(y, tone * k, 48000), 2.0);
            between += std::pow(tone_amplitude(y, tone * (k + 0.5), 48000), 2.0);
        }
        CHECK(10.0 * std::log10(between / at) < -15.0);
    }
}

TEST_CASE("a mix that moves to its ends breaks nothing", "[reference]") {
    const auto x = noise(0.1, 6.0, 2);
    ChainSpec spec = chain_of({stage("robot", {{"mix", 50}})});
    auto chain = Chain::build(spec, {48000, 1});
    REQUIRE(chain.ok());
    AudioBuffer sound = mono(x);
    int n = 0;
    for (size_t i = 0; i + 480 <= x.size(); i += 480) {
        // A tenth of a second each, from many places.
        if (i % 4800 == 0) {
            spec.stages[0].set("mix", n % 2 == 0 ? 100.0 * (n / 2 % 2) : 3.0 + 1.7 * n);
            chain.value()->post(spec);
            ++n;
        }
        chain.value()->process(sound.block(i, 480));
    }
    CHECK(chain.value()->faults() == 0);
}

TEST_CASE("a ring multiplies the voice by its tone", "[reference]") {
    // Sum and difference, each half of it, and the voice itself gone.
    const auto y = run(chain_of({stage("robot", {{"way", 1}, {"pitch", 100}})}), sine(1000, 0.2, 3.0));
    CHECK(tone_amplitude(y, 1100, 48000, 48000) == Approx(0.1 * std::sqrt(2.0)).epsilon(0.02));
    CHECK(tone_amplitude(y, 900, 48000, 48000) == Approx(0.1 * std::sqrt(2.0)).epsilon(0.02));
    CHECK(tone_amplitude(y, 1000, 48000, 48000) < 1e-4);
}
