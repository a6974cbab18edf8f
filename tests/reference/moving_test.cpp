// Controls that move under a tone: nothing may be heard but the tone changing.
#include <catch2/catch.hpp>
#include <cmath>
#include <functional>

#include "chain/chain.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Power (dBFS, full-scale sine: 0) farther than 500 Hz from a 1 kHz tone of -6 dBFS while `change` is made
/// every 50 ms. The tone and its near side bands are removed by a least-squares fit of slowly varying
/// amplitudes, so what is measured is clicks and buzz.
double spurious(ChainSpec spec, const std::function<void(ChainSpec&, int)>& change, double rate = 48000) {
    auto chain = Chain::build(spec, {rate, 1});
    REQUIRE(chain.ok());
    AudioBuffer work = mono(sine(1000, 0.5, 4.0 * 48000 / rate, rate));
    int step = 0;
    for (size_t i = 0; i + 2400 <= work.frames(); i += 2400) {
        change(spec, step++);
        chain.value()->post(spec);
        chain.value()->process(work.block(i, 2400));
    }
    // High-pass of 4 kHz, 8th order, run twice: the tone's own modulation (below 1.5 kHz) is far down.
    StageSpec high = stage("equalizer", {{"band1_frequency", 4000},
                                         {"band1_slope", 7},
                                         {"band2_on", 0},
                                         {"band3_on", 0},
                                         {"band4_on", 0},
                                         {"band5_on", 0}});
    std::vector<float> rest = run(chain_of({high, high}), work[0], rate);
    return db(std::sqrt(2.0) * rms(rest, 24000));
}

}  // namespace

TEST_CASE("moving controls leave less than -80 dBFS of clicks and buzz", "[reference][moving]") {
    SECTION("gain") {
        CHECK(spurious(chain_of({stage("gain")}),
                       [](ChainSpec& c, int i) { c.stages[0].set("gain", i % 2 == 0 ? -6 : 6); }) < -80);
    }
    SECTION("bypass of a gain of 6 dB") {
        CHECK(spurious(chain_of({stage("gain", {{"gain", 6}})}),
                       [](ChainSpec& c, int i) { c.stages[0].bypass = i % 2 == 0; }) < -80);
    }
    SECTION("equalizer frequency and gain") {
        const auto eq = chain_of({stage("equalizer", {{"band3_gain", 9}, {"band3_frequency", 700}})});
        CHECK(spurious(eq, [](ChainSpec& c, int i) {
                  c.stages[0].set("band3_frequency", i % 2 == 0 ? 500 : 1500);
              }) < -80);
        CHECK(spurious(eq, [](ChainSpec& c, int i) {
                  c.stages[0].set("band3_gain", i % 2 == 0 ? -12 : 12);
              }) < -80);
        CHECK(spurious(eq, [](ChainSpec& c, int i) { c.stages[0].set("band3_on", i % 2); }) < -80);
        CHECK(spurious(eq, [](ChainSpec& c, int i) { c.stages[0].set("band3_type", i % 3); }) < -80);
    }
    SECTION("compressor threshold and ratio") {
        const auto comp = chain_of({stage("compressor", {{"threshold", -20}, {"attack", 20}})});
        CHECK(spurious(comp, [](ChainSpec& c, int i) {
                  c.stages[0].set("threshold", i % 2 == 0 ? -30 : -10);
              }) < -80);
        CHECK(spurious(comp, [](ChainSpec& c, int i) { c.stages[0].set("ratio", i % 2 == 0 ? 2 : 10); }) <
              -80);
        CHECK(spurious(comp, [](ChainSpec& c, int i) { c.stages[0].set("makeup", i % 2 == 0 ? 0 : 6); }) <
              -80);
    }
    SECTION("limiter ceiling, not limiting") {
        CHECK(spurious(chain_of({stage("limiter")}),
                       [](ChainSpec& c, int i) { c.stages[0].set("ceiling", i % 2 == 0 ? 0 : -3); }) < -80);
    }
}

TEST_CASE("what is switched and chosen under a tone leaves no click either, at every rate",
          "[reference][moving]") {
    for (const double rate : {44100.0, 48000.0, 192000.0}) {
        INFO("at " << rate << " Hz");
        const auto check = [&](const char* what, const ChainSpec& chain,
                               const std::function<void(ChainSpec&, int)>& change) {
            INFO(what);
            CHECK(spurious(chain, change, rate) < -80);
        };
        check("listen from band to band", chain_of({stage("equalizer")}),
              [](ChainSpec& c, int i) { c.stages[0].set("listen", 1 + i % 5); });
        check("listen on and off", chain_of({stage("equalizer")}),
              [](ChainSpec& c, int i) { c.stages[0].set("listen", i % 2 == 0 ? 3 : 0); });
        // The sixteenth multiple of 62.5 Hz is the tone itself.
        check("hum tones",
              chain_of({stage("suppression",
                              {{"amount", 0}, {"hum", 1}, {"hum_frequency", 62.5}, {"hum_tones", 16}})}),
              [](ChainSpec& c, int i) { c.stages[0].set("hum_tones", i % 2 == 0 ? 3 : 16); });
        check("ceiling while limiting", chain_of({stage("limiter", {{"ceiling", -12}})}),
              [](ChainSpec& c, int i) { c.stages[0].set("ceiling", i % 2 == 0 ? -18 : -12); });
        check("ceiling while limiting, without true peak", chain_of({stage("limiter", {{"true_peak", 0}})}),
              [](ChainSpec& c, int i) { c.stages[0].set("ceiling", i % 2 == 0 ? -9 : -15); });
        check("detector band", chain_of({stage("compressor", {{"threshold", -20}, {"attack", 20}})}),
              [](ChainSpec& c, int i) { c.stages[0].set("detector_low_cut", i % 2 == 0 ? 900 : 20); });
    }
}

TEST_CASE("a band switched on again brings nothing back of what it rang with", "[reference][moving]") {
    for (const double rate : {44100.0, 48000.0, 192000.0}) {
        ChainSpec spec =
            chain_of({stage("equalizer", {{"band3_gain", 24}, {"band3_q", 30}, {"band3_frequency", 1000}})});
        auto chain = Chain::build(spec, {rate, 1});
        REQUIRE(chain.ok());
        AudioBuffer work = mono(sine(1000, 0.25, 0.5, rate));
        const int block = static_cast<int>(work.frames());
        chain.value()->process(work.block(0, block));
        spec.stages[0].set("band3_on", 0);
        chain.value()->post(spec);
        for (int i = 0; i < 4; ++i) {
            work.clear();
            chain.value()->process(work.block(0, block));
        }
        spec.stages[0].set("band3_on", 1);
        chain.value()->post(spec);
        work.clear();
        chain.value()->process(work.block(0, block));
        CHECK(db(peak(work[0])) < -120);
    }
}

TEST_CASE("a neutral chain adds less than -120 dBFS of noise and distortion", "[reference][moving]") {
    // AES17: what remains of a 997 Hz tone at -1 dBFS after the tone is taken out.
    const auto neutral = chain_of({stage("gain"), stage("suppression", {{"amount", 0}}),
                                   stage("gate", {{"range", 0}}), stage("equalizer", {{"band1_on", 0}}),
                                   stage("compressor", {{"ratio", 1}}), stage("limiter", {{"ceiling", 0}})});
    const auto in = sine(997, 0.891, 2.0);
    const auto out = run(neutral, in);
    std::vector<float> rest(out.size());
    for (size_t i = 0; i < out.size(); ++i) rest[i] = out[i] - in[i];
    CHECK(db(std::sqrt(2.0) * rms(rest, 4800, 86400)) < -120.0);
}

TEST_CASE("bands of the equalizer that were moved come to rest exactly where they were put",
          "[reference][moving]") {
    ChainSpec spec = chain_of({stage("equalizer")});
    auto moved = Chain::build(spec, {48000, 1});
    REQUIRE(moved.ok());
    AudioBuffer work = mono(noise(0.1, 2.0, 9));
    const AudioBuffer plain = work;
    moved.value()->process(work.block(0, 4800));
    // A high frequency: there the quick design that is used on the way is farthest off.
    spec.stages[0].set("band5_on", 1);
    spec.stages[0].set("band5_gain", 12);
    spec.stages[0].set("band4_frequency", 11000);
    spec.stages[0].set("band4_gain", -9);
    spec.stages[0].set("band4_q", 2);
    moved.value()->post(spec);
    moved.value()->process(work.block(4800, 91200));
    auto at_once = Chain::build(spec, {48000, 1});
    AudioBuffer same = plain;
    at_once.value()->process(same.block(0, 96000));
    double worst = 0.0;
    for (size_t i = 72000; i < 96000; ++i)
        worst = std::max(worst, std::abs(static_cast<double>(work[0][i]) - same[0][i]));
    CHECK(worst < 1e-6);
}
