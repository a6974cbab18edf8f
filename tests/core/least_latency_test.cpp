// One latency for all chains: scenes, characters and further voices don't move the sound.
#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <thread>

#include "chain/chain.h"
#include "engine/engine.h"
#include "mixer/mixer_render.h"
#include "support/realtime_guard.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Later by so much and 6 frames for its true peak, and nothing else below its ceiling.
StageSpec delaying(double ms) {
    return stage("limiter", {{"ceiling", 0}, {"lookahead", ms}});
}

ChainSpec chain_with(const std::vector<StageSpec>& stages, double least_latency) {
    ChainSpec out = chain_of(stages);
    out.least_latency = least_latency;
    return out;
}

AudioBuffer through(const ChainSpec& spec, AudioBuffer sound, double rate = 48000) {
    auto chain = Chain::build(spec, {rate, sound.channels()});
    REQUIRE(chain.ok());
    for (size_t i = 0; i < sound.frames(); i += 100)
        chain.value()->process(sound.block(i, static_cast<int>(std::min<size_t>(100, sound.frames() - i))));
    return sound;
}

/// How far `y`, from frame `from` to `to`, is from `x` delayed by `delay` at any one gain, in dB.
double difference(const std::vector<float>& y, const std::vector<float>& x, size_t delay, size_t from,
                  size_t to) {
    double both = 0.0, alone = 0.0, off = 0.0, power = 0.0;
    for (size_t i = from; i < to; ++i) {
        both += static_cast<double>(y[i]) * x[i - delay];
        alone += static_cast<double>(x[i - delay]) * x[i - delay];
    }
    for (size_t i = from; i < to; ++i) {
        const double d = y[i] - both / alone * x[i - delay];
        off += d * d;
        power += static_cast<double>(y[i]) * y[i];
    }
    return 10.0 * std::log10((off + 1e-20) / power);
}

}  // namespace

TEST_CASE("every chain is delayed to its least latency, to the sample", "[chain]") {
    for (const double rate : {44100.0, 48000.0, 192000.0}) {
        const auto wanted = static_cast<int>(std::lround(0.060 * rate));
        auto x = silence(0.5, rate);
        x[4000] = 0.5f;
        for (const std::vector<StageSpec>& stages : {std::vector<StageSpec>{},
                                                     {stage("gain")},
                                                     {stage("gain"), delaying(10)},
                                                     {delaying(10), stage("gain"), delaying(1)}}) {
            const ChainSpec spec = chain_with(stages, 60.0);
            CHECK(Chain::build(spec, {rate, 1}).value()->latency() == wanted);
            const AudioBuffer y = through(spec, mono(x), rate);
            INFO(rate << ", " << stages.size());
            for (size_t i = 0; i < x.size(); ++i)
                REQUIRE(y[0][i] == (i == 4000 + static_cast<size_t>(wanted) ? Approx(0.5).margin(1e-4)
                                                                            : Approx(0.0).margin(1e-4)));
        }
    }
    // One that needs more has what it needs; 0 changes nothing.
    const auto longer = Chain::build(chain_with({delaying(10), delaying(10)}, 5.0), {48000, 1});
    CHECK(longer.value()->latency() == 2 * (480 + 6));
    CHECK(longer.value()->latencies().padding == 0);
    const auto padded = Chain::build(chain_with({delaying(10)}, 60.0), {48000, 1});
    CHECK(padded.value()->latencies().stages == 486);
    const auto x = noise(0.1, 0.3, 3);
    const AudioBuffer plain = through(chain_with({delaying(5)}, 0.0), mono(x));
    CHECK(plain[0] == through(chain_of({delaying(5)}), mono(x))[0]);
}

TEST_CASE("a least latency that cannot be is refused", "[chain]") {
    for (const double bad : {-1.0, kMaxLeastLatency + 1.0, std::numeric_limits<double>::quiet_NaN()}) {
        const auto problems = chain_problems(chain_with({stage("gain")}, bad));
        REQUIRE(problems.size() == 1);
        CHECK(problems[0].text().find("least_latency") != std::string::npos);
        CHECK_FALSE(Chain::build(chain_with({stage("gain")}, bad), {48000, 1}).ok());
    }
    CHECK(chain_problems(chain_with({stage("gain")}, kMaxLeastLatency)).empty());
}

TEST_CASE("stages and levels behind the padding see the same moment", "[chain]") {
    // The limiter at the end has a tap on either side: a click of 40 ms goes by both at its time.
    const ChainSpec spec = chain_with({stage("gain"), delaying(5)}, 60.0);
    auto chain = Chain::build(spec, {48000, 1});
    TapQueue taps(1000);
    chain.value()->set_tap_queue(&taps);
    auto x = silence(0.5);
    for (size_t i = 9600; i < 9600 + 1920; ++i) x[i] = 0.25f;
    AudioBuffer sound = mono(x);
    for (size_t i = 0; i < sound.frames(); i += 480) chain.value()->process(sound.block(i, 480));
    std::vector<std::int64_t> loud[3];
    for (TapFrame f; taps.try_dequeue(f);) {
        if (f.peak > 0.2f) loud[f.tap].push_back(f.index);
    }
    for (const auto& tap : loud) CHECK(tap == std::vector<std::int64_t>{20, 21, 22, 23});
}

TEST_CASE("a chain with a least latency goes over to another one without moving a sample", "[chain]") {
    const auto x = spoken_words(2);
    Engine engine;
    REQUIRE(engine.open({48000, 1}, chain_with({stage("gain")}, 60.0)).ok());
    AudioBuffer y = mono(x);
    const ChainSpec others[] = {chain_with({stage("gain"), delaying(10)}, 60.0),
                                chain_with({delaying(10), delaying(10), stage("gain")}, 60.0),
                                chain_with({}, 60.0)};
    size_t at = 0;
    for (const Fade fade : {Fade::quick, Fade{0.5, true}}) {
        for (const ChainSpec& other : others) {
            const auto until = at + 36000;
            REQUIRE(engine.chain().follow(other, fade).ok());
            while (!engine.chain().settled()) std::this_thread::yield();
            for (; at < until; at += 240) engine.process(y.block(at, 240));
            CHECK(engine.chain().latency() == 2880);
        }
    }
    REQUIRE(at < x.size());
    double most = 0.0;
    for (size_t i = 2880; i < at; ++i)
        most = std::max(most, std::abs(static_cast<double>(y[0][i]) - x[i - 2880]));
    CHECK(most < 1e-5);
}

TEST_CASE("a character uses the padding, and the voice is no later with it", "[chain]") {
    const auto x = spoken_words(1);
    for (const int channels : {1, 2}) {
        ChainSpec spec = chain_with({stage("gain"), delaying(2)}, 60.0);
        spec.characters = {{"Late", chain_of({delaying(10), delaying(10)}).stages},
                           {"Other", chain_of({stage("gain", {{"gain", -1}}), delaying(3)}).stages}};
        auto chain = Chain::build(spec, {48000, channels});
        REQUIRE(chain.ok());
        CHECK(chain.value()->latency() == 2880);
        AudioBuffer y = channels == 1 ? mono(x) : stereo(x, x);
        const std::vector<std::string> on = {"", "Late", "Other", "Late", ""};
        const size_t each = y.frames() / on.size() / 96 * 96;
        for (size_t k = 0; k < on.size(); ++k) {
            ChainSpec next = spec;
            next.character = on[k];
            chain.value()->post_changes(spec, next);
            spec = next;
            CHECK(chain.value()->latencies().total() == 2880);
            for (size_t i = k * each; i < (k + 1) * each; i += 96) chain.value()->process(y.block(i, 96));
        }
        // The latency never moves, through the fades too: only the loudness does (LoudnessCompensator).
        for (size_t i = 2880; i + 2400 < on.size() * each; i += 2400) {
            INFO(channels << ", " << i);
            if (rms(y[0], i, 2400) < 1e-3) continue;
            CHECK(difference(y[0], x, 2880, i, i + 2400) < -20.0);
        }
    }
    // One that is longer than the padding is later by the rest.
    ChainSpec tight = chain_with({stage("gain")}, 15.0);
    tight.characters = {{"Late", chain_of({delaying(10), delaying(10)}).stages}};
    tight.character = "Late";
    auto chain = Chain::build(tight, {48000, 1});
    CHECK(chain.value()->latencies().total() == 2 * 486);
    CHECK(chain.value()->latencies().unused_padding() == 0);
    const AudioBuffer y = through(tight, mono(x));
    CHECK(difference(y[0], x, 2 * 486, 24000, 96000) < -20.0);
}

TEST_CASE("the sum of one voice and of two has one latency, if a single voice is limited too", "[desk]") {
    for (const bool always : {false, true}) {
        std::vector<int> latencies;
        for (const size_t voices : {1, 2}) {
            auto builder = std::make_shared<ChainBuilder>();
            Mixer mixer;
            REQUIRE(mixer.open({48000, 1}).ok());
            mixer.limit_single_voice(always);
            MixerSpec spec;
            spec.strips.clear();
            std::vector<StreamFormat> formats;
            for (size_t v = 0; v < voices; ++v) {
                spec.strips.push_back(
                    new_strip(spec, StripRole::voice, chain_with({stage("gain"), delaying(5)}, 40.0)));
                formats.push_back({48000, 1});
            }
            REQUIRE(set_up(mixer, spec, formats, builder).ok());
            auto x = silence(1.0);
            x[24000] = 0.25f;
            AudioBuffer one = mono(x), other = mono(silence(1.0)), sum = mono(x);
            for (size_t i = 0; i < x.size(); i += 240) {
                const AudioBlock blocks[2] = {one.block(i, 240), other.block(i, 240)};
                REQUIRE(mixer.process({blocks, voices}, sum.block(i, 240)));
            }
            const auto click = std::ranges::max_element(sum[0]) - sum[0].begin();
            CHECK(click == 24000 + mixer.latency());
            CHECK(mixer.voices_latency() == 1920);
            latencies.push_back(mixer.latency());
        }
        CHECK((latencies[0] == latencies[1]) == always);
        CHECK(latencies[1] > 1920);
    }
}

TEST_CASE("padding and its characters run without allocating", "[chain]") {
    ChainSpec spec = chain_with({stage("gain"), delaying(2)}, 60.0);
    spec.characters = {{"Late", chain_of({delaying(10)}).stages}};
    auto chain = Chain::build(spec, {48000, 2});
    REQUIRE(chain.ok());
    AudioBuffer sound = stereo(noise(0.1, 0.5, 3), noise(0.1, 0.5, 4));
    ChainSpec on = spec;
    on.character = "Late";
    if (!RealtimeGuard::counts()) return;
    const RealtimeGuard guard;
    for (size_t i = 0; i + 97 <= sound.frames(); i += 97) {
        if (i / 97 == 20) chain.value()->post_changes(spec, on);
        chain.value()->process(sound.block(i, 97));
    }
    CHECK(guard.allocations() == 0);
    CHECK(guard.locks() == 0);
}
