// The monitor: sources, tone, mute, and that it changes nothing that goes out.
#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <thread>

#include "engine/engine.h"
#include "support/realtime_guard.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

struct Heard {
    std::vector<float> feed, monitor;
};

/// Runs `x` through the engine in blocks; `change` is called before block `i`.
template <typename Change>
Heard listen(Engine& engine, const std::vector<float>& x, Change change, int block = 256) {
    Heard out;
    AudioBuffer work(1, static_cast<size_t>(block));
    for (size_t at = 0, i = 0; at + static_cast<size_t>(block) <= x.size();
         at += static_cast<size_t>(block), ++i) {
        change(i);
        std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), block, work[0].begin());
        engine.process(work.block(0, block));
        out.feed.insert(out.feed.end(), work[0].begin(), work[0].end());
        const AudioBlock m = engine.monitor();
        for (int k = 0; k < block; ++k) out.monitor.push_back(k < m.frames ? m[0][k] : 0.0f);
    }
    return out;
}

ChainSpec lowering_chain() {
    // Suppression, for its delay, without effect; then 6 dB less, then 4 dB more.
    return chain_of(
        {stage("suppression", {{"amount", 0}}), stage("gain", {{"gain", -6}}), stage("gain", {{"gain", 4}})});
}

double level(const std::vector<float>& x) {
    return db(rms(x, 24000) * std::sqrt(2.0));
}

}  // namespace

TEST_CASE("the monitor plays the feed, the plain sound, what is taken away, or any point between",
          "[engine]") {
    Engine engine;
    REQUIRE(engine.open({48000, 1}, lowering_chain()).ok());
    const auto x = sine(1000, 0.5, 1.5);
    const double plain = db(0.5);
    const auto heard = [&](MonitorSettings s) {
        engine.set_monitor(s);
        return listen(engine, x, [](size_t) {});
    };
    CHECK(peak(heard({MonitorSource::off}).monitor) == 0.0);
    CHECK(level(heard({MonitorSource::feed}).monitor) == Approx(plain - 2.0).margin(0.05));
    CHECK(level(heard({MonitorSource::plain}).monitor) == Approx(plain).margin(0.05));
    CHECK(level(heard({MonitorSource::tap, 2}).monitor) == Approx(plain - 6.0).margin(0.05));
    CHECK(level(heard({MonitorSource::tap, 1}).monitor) == Approx(plain).margin(0.05));
    CHECK(peak(heard({MonitorSource::tap, 9}).monitor, 24000) == 0.0);
    // Aligned: what is taken away from a sine is a sine, 1 - 0.794 of it.
    const auto removed = heard({MonitorSource::removed});
    CHECK(level(removed.monitor) == Approx(plain + db(1.0 - std::pow(10.0, -0.1))).margin(0.1));
    // It can be taken by an output, too.
    const auto history = engine.monitor_history();
    std::vector<float> kept(24000);
    float* rows[] = {kept.data(), nullptr};
    REQUIRE(history->read(history->written() - 24000, 24000, rows));
    CHECK(largest_difference(kept, {removed.monitor.end() - 24000, removed.monitor.end()}) == 0.0);
    // The feed is the same whatever is monitored.
    CHECK(level(removed.feed) == Approx(plain - 2.0).margin(0.05));
}

TEST_CASE("the monitor has its own volume and tone, and mutes with the feed only when asked", "[engine]") {
    Engine engine;
    REQUIRE(engine.open({48000, 1}, chain_of({stage("gain")})).ok());
    const auto at = [&](double frequency, MonitorSettings s, bool mute) {
        s.source = MonitorSource::feed;
        engine.set_monitor(s);
        engine.set_mute(mute);
        return level(listen(engine, sine(frequency, 0.1, 1.5), [](size_t) {}).monitor) - db(0.1);
    };
    CHECK(at(1000, {}, false) == Approx(0.0).margin(0.05));
    CHECK(at(1000, {.volume_db = -12}, false) == Approx(-12.0).margin(0.05));
    // Far from the corners the shelves and the bell have their whole gain (Audio EQ Cookbook).
    CHECK(at(30, {.bass_db = 6}, false) == Approx(6.0).margin(0.4));
    CHECK(at(1000, {.middle_db = -6}, false) == Approx(-6.0).margin(0.2));
    CHECK(at(14000, {.treble_db = 9}, false) == Approx(9.0).margin(0.6));
    CHECK(at(30, {.treble_db = 9}, false) == Approx(0.0).margin(0.1));
    CHECK(at(1000, {}, true) == Approx(0.0).margin(0.05));
    CHECK(at(1000, {.mute_with_feed = true}, true) < -80.0);
    CHECK(at(1000, {.mute_with_feed = true}, false) == Approx(0.0).margin(0.05));
}

TEST_CASE("changing what is monitored does not click, allocate or lock", "[engine]") {
    Engine engine;
    REQUIRE(engine.open({48000, 1}, lowering_chain()).ok());
    const MonitorSettings kinds[] = {{MonitorSource::feed},
                                     {MonitorSource::tap, 2},
                                     {MonitorSource::off},
                                     {MonitorSource::removed},
                                     {MonitorSource::plain, 0, -6.0, 6.0, -3.0, 4.0}};
    engine.set_monitor({MonitorSource::feed});
    const auto x = sine(200, 0.3, 6.0);
    (void)listen(engine, x, [](size_t) {});  // everything has been touched once
    Heard out;
    out.monitor.reserve(x.size() + 4096);
    const auto heard = listen(engine, x, [&](size_t i) {
        if (i % 120 == 60) engine.set_monitor(kinds[(i / 120) % 5]);
    });
    // A click is broad: high-passed far above the tone nothing is left.
    const auto high =
        run(chain_of(
                {stage("equalizer",
                       {{"band1_on", 1}, {"band1_type", 3}, {"band1_frequency", 5000}, {"band1_slope", 7}})}),
            heard.monitor);
    CHECK(db(peak(high, 4800, high.size() - 9600)) < -75.0);

    AudioBuffer work(1, 256);
    int allocations = 0;
    int locks = 0;
    {
        const RealtimeGuard guard;
        for (int i = 0; i < 2000; ++i) {
            if (i % 100 == 0) engine.set_monitor(kinds[(i / 100) % 5]);
            engine.process(work.block(0, 256));
        }
        allocations = guard.allocations();
        locks = guard.locks();
    }
    CHECK(allocations == 0);
    CHECK(locks == 0);
}

TEST_CASE("what is monitored goes over to a new chain without a click", "[engine]") {
    for (const MonitorSource source : {MonitorSource::tap, MonitorSource::removed, MonitorSource::feed}) {
        INFO("source " << static_cast<int>(source));
        ChainSpec chain = chain_of({stage("gain", {{"gain", -3}}), stage("limiter", {{"lookahead", 3}})});
        Engine engine;
        REQUIRE(engine.open({48000, 1}, chain).ok());
        engine.set_monitor({source, 1});
        const auto x = sine(200, 0.3, 4.0);
        const auto heard = listen(engine, x, [&](size_t i) {
            if (i % 150 != 100) return;
            // Another gain and another delay each time.
            chain.stages[0].set("gain", chain.stages[0].value("gain") < -6 ? -3 : -15);
            chain.stages[1].set("lookahead", chain.stages[1].value("lookahead") < 5 ? 8 : 3);
            REQUIRE(engine.chain().follow(chain, Fade::scene).ok());
            while (!engine.chain().settled()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
        });
        const auto cut =
            stage("equalizer", {{"band1_type", 3}, {"band1_frequency", 5000}, {"band1_slope", 7}});
        const auto high = run(chain_of({cut, cut}), heard.monitor);
        CHECK(db(peak(high, 9600, high.size() - 19200)) < -80.0);
    }
}

TEST_CASE("what decays in the monitor ends in nothing, not in numbers too small to be quick", "[engine]") {
    Engine engine;
    REQUIRE(engine.open({48000, 1}, chain_of({stage("gain")})).ok());
    engine.set_monitor({.source = MonitorSource::feed, .bass_db = 12, .middle_db = -12, .treble_db = 12});
    std::vector<float> x = noise(0.1, 0.5, 2);
    append(x, silence(4.0));
    const auto heard = listen(engine, x, [](size_t) {});
    size_t tiny = 0;
    for (const float v : heard.monitor) tiny += std::fpclassify(v) == FP_SUBNORMAL ? 1 : 0;
    CHECK(tiny == 0);
    CHECK(heard.monitor.back() == 0.0f);
}

TEST_CASE("the probe hands out the sound before and after one stage", "[engine]") {
    Engine engine;
    REQUIRE(engine.open({48000, 1}, lowering_chain()).ok());
    engine.chain().probe(1);
    const auto x = sine(1000, 0.5, 1.0);
    (void)listen(engine, x, [](size_t) {});
    std::vector<float> before(24000), after(24000);
    float* b[] = {before.data(), nullptr};
    float* a[] = {after.data(), nullptr};
    const auto probed = engine.chain().probed();
    const Probe& p = *probed;
    REQUIRE(p.before.read(p.before.written() - 24000, 24000, b));
    REQUIRE(p.after.read(p.after.written() - 24000, 24000, a));
    CHECK(db(rms(after) / rms(before)) == Approx(-6.0).margin(0.01));
    const auto until = p.before.written();
    engine.chain().probe(-1);
    (void)listen(engine, x, [](size_t) {});
    CHECK(p.before.written() == until);
}

TEST_CASE("what is held back from the feed is heard in the headphones, also where they mute with the feed",
          "[engine]") {
    Engine engine;
    REQUIRE(engine.open({48000, 1}, {}).ok());
    const auto x = sine(1000, 0.5, 1.0);
    MonitorSettings settings{MonitorSource::feed};
    settings.mute_with_feed = true;
    engine.set_monitor(settings);
    engine.suppress_output(true);
    CHECK(engine.muted());
    const Heard held = listen(engine, x, [](size_t) {});
    CHECK(peak(held.feed, 24000) == 0.0);
    CHECK(level(held.monitor) == Approx(db(0.5)).margin(0.05));
    // Muted by a person it is another thing.
    engine.set_mute(true);
    CHECK(peak(listen(engine, x, [](size_t) {}).monitor, 24000) == 0.0);
    engine.set_mute(false);
    CHECK(engine.muted());
    engine.suppress_output(false);
    CHECK_FALSE(engine.muted());
}
