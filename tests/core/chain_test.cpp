#include <malloc.h>

#include <catch2/catch.hpp>
#include <cmath>
#include <cstdlib>
#include <limits>
#include <mutex>
#include <random>

#include "chain/chain.h"
#include "support/realtime_guard.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// All stages, with look-ahead and everything on.
ChainSpec full_chain() {
    return chain_of(
        {stage("gain", {{"gain", 3}, {"dc_block", 1}}), stage("suppression"),
         stage("gate", {{"lookahead", 3}, {"detector_low_cut", 120}}), stage("expander"),
         stage("equalizer", {{"band2_gain", 3}, {"band3_gain", -4}, {"band4_gain", 2}, {"band5_gain", 2}}),
         stage("compressor", {{"lookahead", 2}, {"auto_makeup", 1}, {"auto_release", 1}}), stage("limiter")});
}

/// Something like speech: bursts of noise and tones with pauses.
std::vector<float> lively(double seconds, std::uint32_t seed, double rate = 48000) {
    std::vector<float> out = noise(0.1, seconds, seed, rate);
    for (size_t i = 0; i < out.size(); ++i) {
        const double t = static_cast<double>(i) / rate;
        const double envelope = std::fmod(t, 0.7) < 0.4 ? 1.0 : 0.01;
        out[i] = static_cast<float>(envelope * (out[i] + 0.4 * std::sin(2 * 3.14159265 * 180 * t)));
    }
    return out;
}

}  // namespace

TEST_CASE("the guard of the audio thread sees every way to take memory, and locks", "[chain]") {
    if (!test::RealtimeGuard::counts()) return;
    void* volatile kept = nullptr;  // so that nothing is left out by the compiler
    int seen[7] = {};
    std::mutex mutex;
    int locks = 0;
    const auto counted = [&](const auto& take) {
        const test::RealtimeGuard guard;
        take();
        return guard.allocations();
    };
    struct alignas(64) Wide {
        char bytes[64];
    };
    seen[0] = counted([&] { kept = std::malloc(64); });
    seen[1] = counted([&] { kept = std::realloc(kept, 4096); });
    seen[2] = counted([&] { std::free(kept); });
    seen[3] = counted([&] { kept = std::calloc(4, 16); });
    std::free(kept);
    seen[4] = counted([&] {
        void* out = nullptr;
        (void)!::posix_memalign(&out, 64, 256);
        kept = out;
    });
    std::free(kept);
    seen[5] = counted([&] { kept = ::memalign(64, 256); });
    std::free(kept);
    seen[6] = counted([&] { kept = new Wide; });
    delete static_cast<Wide*>(kept);
    {
        const test::RealtimeGuard guard;
        mutex.lock();
        locks = guard.locks();
    }
    mutex.unlock();
    for (const int n : seen) CHECK(n >= 1);
    CHECK(locks == 1);
}

TEST_CASE("the result does not depend on the block size", "[chain]") {
    const auto in = lively(1.5, 1);
    const auto whole = run(full_chain(), in, 48000, 8192);
    for (const int block : {1, 7, 32, 33, 64, 128, 441, 480, 1024, 4096}) {
        INFO("block " << block);
        CHECK((run(full_chain(), in, 48000, block) == whole));  // to the last bit
    }
}

TEST_CASE("every stage reports its latency exactly", "[chain]") {
    for (const double rate : {44100.0, 48000.0, 96000.0, 192000.0}) {
        for (const auto* kind : stage_kinds()) {
            StageSpec s = stage(std::string(kind->id));
            // Settings at which the stage lets the impulse through as it is.
            if (s.kind == "gate") s.set("range", 0), s.set("lookahead", 7.3);
            if (s.kind == "expander") s.set("range", 0);
            if (s.kind == "equalizer") s.set("band1_on", 0);
            if (s.kind == "compressor") s.set("ratio", 1), s.set("lookahead", 4.1);
            if (s.kind == "suppression") s.set("amount", 0);
            if (s.kind == "saturation" || s.kind == "reverb" || s.kind == "robot") s.set("mix", 0);
            if (s.kind == "echo" || s.kind == "doubler") s.set("level", -40);
            std::vector<float> in = silence(0.5, rate);
            const size_t at = 5000;
            in[at] = 0.5f;
            auto chain = Chain::build(chain_of({s}), {rate, 1});
            REQUIRE(chain.ok());
            AudioBuffer work = mono(in);
            for (size_t i = 0; i < in.size(); i += 1000) {
                chain.value()->process(
                    work.block(i, static_cast<int>(std::min<size_t>(1000, in.size() - i))));
            }
            INFO(kind->id << " at " << rate);
            const auto found = std::max_element(work[0].begin(), work[0].end()) - work[0].begin();
            CHECK(found - static_cast<std::ptrdiff_t>(at) == chain.value()->latency());
            // Crossovers turn the phase, at any setting.
            CHECK(work[0][static_cast<size_t>(found)] ==
                  Approx(0.5f).margin(kind->id == "multiband" ? 0.3 : 1e-4));
        }
    }
}

TEST_CASE("suppression at work has the latency it reports", "[chain][figures]") {
    // Cross-correlation of spoken words before and after peaks at the reported delay.
    const auto in = spoken_words();
    const auto out = run(chain_of({stage("suppression", {{"amount", -20}})}), in);
    double best = -1.0;
    int best_lag = -1000;
    for (int lag = -600; lag <= 600; ++lag) {
        double sum = 0.0;
        for (size_t i = 48000; i < 48000 * 6; ++i) {
            sum += static_cast<double>(in[i]) * out[static_cast<size_t>(static_cast<long>(i) + lag)];
        }
        if (sum > best) {
            best = sum;
            best_lag = lag;
        }
    }
    CHECK(best_lag == 0);  // run() has taken the reported latency out
}

TEST_CASE("a bypassed chain is the input, bit for bit, with the same delay", "[chain]") {
    ChainSpec spec = full_chain();
    for (auto& s : spec.stages) s.bypass = true;
    const auto in = lively(1.0, 2);
    CHECK((run(spec, in) == in));
}

TEST_CASE("bypass and values move without a click", "[chain]") {
    // A step in a 100 Hz tone would show as energy far above it.
    ChainSpec spec = chain_of({stage("gain", {{"gain", 12}}), stage("equalizer", {{"band2_gain", 6}})});
    auto chain = Chain::build(spec, {48000, 1});
    REQUIRE(chain.ok());
    AudioBuffer work = mono(sine(100, 0.1, 2.0));
    for (size_t i = 0; i + 480 <= work.frames(); i += 480) {
        if (i == 48000) spec.stages[0].bypass = true;
        if (i == 57600) spec.stages[1].set("band2_gain", -6), spec.stages[1].set("band2_frequency", 400);
        if (i == 67200) spec.stages[0].bypass = false, spec.stages[1].set("band2_on", 0);
        if (i == 76800) spec.stages[1].set("band2_type", 1), spec.stages[1].set("band2_on", 1);
        chain.value()->post(spec);
        chain.value()->process(work.block(i, 480));
    }
    // What three differences in a row leave (a steep high pass) of a step of the size of the tone would be 0
    // dB; where in the spectrum the remainder lies is measured in tests/reference/moving_test.cpp.
    double largest = 0.0;
    for (size_t i = 40000; i + 3 < work.frames(); ++i) {
        const double third = work[0][i + 3] - 3.0 * work[0][i + 2] + 3.0 * work[0][i + 1] - work[0][i];
        largest = std::max(largest, std::abs(third));
    }
    CHECK(db(largest / 0.4) < -66.0);
}

TEST_CASE("NaN and infinity never come out and break nothing", "[chain]") {
    const float nan = std::numeric_limits<float>::quiet_NaN();
    const float inf = std::numeric_limits<float>::infinity();
    std::vector<float> in = lively(3.0, 3);
    const std::vector<float> clean = run(full_chain(), in);
    std::vector<float> bad = in;
    std::mt19937 random(5);
    for (int i = 0; i < 200; ++i)
        bad[24000 + random() % 9600] = i % 3 == 0 ? nan : (i % 3 == 1 ? inf : -3e38f);
    auto chain = Chain::build(full_chain(), {48000, 1});
    REQUIRE(chain.ok());
    AudioBuffer work = mono(bad);
    chain.value()->process(work.block(0, 100000));
    chain.value()->process(work.block(100000, static_cast<int>(work.frames()) - 100000));
    for (const float x : work[0]) REQUIRE(std::isfinite(x));
    CHECK(chain.value()->faults() > 150);
    // A second later it sounds as if nothing had been.
    const size_t late = 2 * 48000 + 24000;
    CHECK(rms(work[0], late) == Approx(rms(clean, late)).epsilon(0.05));
}

TEST_CASE("process neither allocates nor locks", "[chain]") {
    for (const int channels : {1, 2}) {
        auto chain = Chain::build(full_chain(), {48000, channels});
        REQUIRE(chain.ok());
        TapQueue taps(4096);
        chain.value()->set_tap_queue(&taps);
        ChainSpec other = full_chain();
        other.stages[0].set("gain", -10);
        other.stages[4].set("band2_frequency", 500);
        other.stages[4].set("band3_type", 2);
        other.stages[3].bypass = true;
        AudioBuffer work(channels, 48000);
        for (int c = 0; c < channels; ++c) work[c] = lively(1.0, 4);
        int allocations = 0;
        int locks = 0;
        for (size_t i = 0; i < 48000; i += 240) {
            if (i == 9600) chain.value()->post(other);
            const test::RealtimeGuard guard;
            chain.value()->process(work.block(i, 240));
            allocations += guard.allocations();
            locks += guard.locks();
        }
        CHECK(allocations == 0);
        CHECK(locks == 0);
    }
}

TEST_CASE("taps read the level after each stage, over the same stretch of sound", "[chain]") {
    auto chain = Chain::build(
        chain_of({stage("gate", {{"range", 0}, {"lookahead", 10}}), stage("gain", {{"gain", -6.0}})}),
        {48000, 1});
    REQUIRE(chain.ok());
    TapQueue taps(4096);
    chain.value()->set_tap_queue(&taps);
    // One loud piece of 10 ms: piece 50.
    std::vector<float> in = silence(1.0);
    for (size_t i = 24000; i < 24480; ++i) in[i] = 0.5f;
    AudioBuffer work = mono(in);
    chain.value()->process(work.block(0, 48000));
    int seen = 0;
    for (TapFrame f; taps.try_dequeue(f);) {
        const float expected = f.tap == 2 ? 0.5f * 0.501187f : 0.5f;
        if (f.index == 50) {
            CHECK(f.peak == Approx(expected).epsilon(1e-3));
            CHECK(f.mean_square == Approx(expected * expected).epsilon(1e-3));
            ++seen;
        } else {
            CHECK(f.peak < 1e-6f);
        }
    }
    CHECK(seen == 3);
}

TEST_CASE("an invalid chain or format is refused with its reason", "[chain]") {
    ChainSpec spec = chain_of({stage("gate")});
    spec.stages[0].values[0] = 12;
    CHECK_THAT(Chain::build(spec, {48000, 1}).error().text(),
               Catch::Contains("Opens at 12.0 dBFS is outside"));
    CHECK_FALSE(Chain::build({}, {8000, 1}).ok());
    CHECK_FALSE(Chain::build({}, {48000, 3}).ok());
    CHECK_FALSE(Chain::build({}, {std::nan(""), 1}).ok());
    ChainSpec many;
    for (size_t i = 0; i <= kMaxStages; ++i) many.stages.push_back(new_stage(many, *find_stage_kind("gain")));
    CHECK_THAT(Chain::build(many, {48000, 1}).error().text(), Catch::Contains("at most 32"));
}

TEST_CASE("stereo is linked: both channels are turned down alike", "[chain]") {
    const auto loud = sine(500, 0.5, 1.0);
    const auto quiet = sine(700, 0.01, 1.0);
    const ChainSpec spec = chain_of({stage("compressor", {{"threshold", -30}, {"ratio", 8}})});
    const auto left = run(spec, loud);
    auto built = Chain::build(spec, {48000, 2});
    AudioBuffer both = stereo(loud, quiet);
    built.value()->process(both.block(0, 48000));
    const double taken = db(rms(left, 24000) / rms(loud, 24000));
    CHECK(db(rms(both[1], 24000) / rms(quiet, 24000)) == Approx(taken).margin(0.1));
    CHECK(db(rms(both[0], 24000) / rms(loud, 24000)) == Approx(taken).margin(0.1));
}

TEST_CASE("the channel choice of gain picks and mixes", "[chain]") {
    const auto l = sine(500, 0.5, 0.2);
    const auto r = sine(900, 0.25, 0.2);
    const auto out = [&](double choice) {
        auto built = Chain::build(chain_of({stage("gain", {{"channels", choice}})}), {48000, 2});
        AudioBuffer both = stereo(l, r);
        built.value()->process(both.block(0, 9600));
        return both;
    };
    CHECK(out(1)[1] == l);
    CHECK(out(2)[0] == r);
    const AudioBuffer middle = out(3);
    const AudioBuffer side = out(4);
    for (size_t i = 100; i < 9600; i += 97) {
        CHECK(middle[0][i] == Approx(0.5 * (l[i] + r[i])).margin(1e-6));
        CHECK(side[1][i] == Approx(0.5 * (l[i] - r[i])).margin(1e-6));
    }
}
