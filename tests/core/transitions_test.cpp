// What happens at the moment of a change: fades, delays kept current, run-ups.
#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <optional>
#include <thread>

#include "base/decibel.h"
#include "engine/meter_reader.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Pushes sound through the engine in blocks of 256; returns what comes out.
std::vector<float> push(Engine& engine, const std::vector<float>& in) {
    AudioBuffer work = mono(in);
    for (size_t i = 0; i < in.size(); i += 256)
        engine.process(work.block(i, static_cast<int>(std::min<size_t>(256, in.size() - i))));
    return work[0];
}

void follow(Engine& engine, const ChainSpec& chain, Fade fade = Fade::quick,
            std::optional<double> level = {}) {
    REQUIRE(engine.chain().follow(chain, fade, level).ok());
    while (!engine.chain().settled()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
}

/// Frames before the first that is not `old`, and before the first from which on all are `fresh`.
std::pair<size_t, size_t> fade_in(const std::vector<float>& x, double old, double fresh) {
    size_t begin = 0;
    while (begin < x.size() && std::abs(x[begin] - old) < 1e-7) ++begin;
    size_t end = x.size();
    while (end > 0 && std::abs(x[end - 1] - fresh) < 1e-7) --end;
    return {begin, end};
}

}  // namespace

TEST_CASE("a changed chain fades in within 30 ms, a recalled scene within 300", "[engine]") {
    // A constant, so that every step of the fade shows. The limiter leaves it as it is and delays it by 3 ms.
    const std::vector<float> constant(48000, 0.25f);
    const auto limiter = stage("limiter", {{"lookahead", 3}, {"true_peak", 0}});
    for (const Fade fade : {Fade::quick, Fade::scene}) {
        Engine engine;
        REQUIRE(engine.open({48000, 1}, chain_of({limiter})).ok());
        (void)push(engine, constant);
        follow(engine, chain_of({limiter, stage("gain", {{"gain", -6}})}), fade);
        const double fresh = 0.25 * db_to_gain(-6.0);
        const auto [begin, end] = fade_in(push(engine, constant), 0.25, fresh);
        const double length = fade == Fade::quick ? 0.030 * 48000 : 0.300 * 48000;
        INFO("begins " << begin << ", ends " << end);
        // One block in which it catches up with the present.
        const double wait = 256;
        CHECK(static_cast<double>(begin) >= wait);
        CHECK(static_cast<double>(begin) <= wait + 0.02 * length);
        CHECK(static_cast<double>(end) <= wait + length + 1);
        CHECK(static_cast<double>(end) >= wait + 0.98 * length);
    }
}

TEST_CASE("a scene takes over in the time it asks for, and one that is overtaken makes way at once",
          "[engine]") {
    const std::vector<float> constant(48000 / 2, 0.25f);
    const auto limiter = stage("limiter", {{"lookahead", 3}, {"true_peak", 0}});
    const auto louder = [&](double db) { return chain_of({limiter, stage("gain", {{"gain", db}})}); };
    for (const auto& [wanted, taken] : {std::pair(0.0, 0.030), std::pair(2.0, 2.0), std::pair(99.0, 10.0)}) {
        Engine engine;
        REQUIRE(engine.open({48000, 1}, louder(0)).ok());
        (void)push(engine, constant);
        follow(engine, louder(-6), Fade::over(wanted));
        const auto x = push(engine, std::vector<float>(12 * 48000, 0.25f));
        const auto [begin, end] = fade_in(x, 0.25, 0.25 * db_to_gain(-6.0));
        CHECK(static_cast<double>(end - begin) / 48000 <= taken + 0.001);
        CHECK(static_cast<double>(end - begin) / 48000 >= 0.97 * taken);
    }
    // Two seconds into a fade of ten another scene is wanted; and a stage of it is turned meanwhile.
    Engine engine;
    REQUIRE(engine.open({48000, 1}, louder(0)).ok());
    (void)push(engine, constant);
    follow(engine, louder(-6), Fade::over(10));
    std::vector<float> all = push(engine, std::vector<float>(2 * 48000, 0.25f));
    follow(engine, louder(-12), Fade::over(0.5));
    append(all, push(engine, std::vector<float>(48000, 0.25f)));
    const double step_most = 0.25 * 1.6 / (0.030 * 48000);  // of a fade over all of it in 30 ms
    for (size_t i = 1; i < all.size(); ++i) REQUIRE(std::abs(all[i] - all[i - 1]) < step_most);
    // Sounding within the shortest fade and its own.
    const auto [begin, end] = fade_in(all, 0.25, 0.25 * db_to_gain(-12.0));
    CHECK(static_cast<double>(end) / 48000 < 2.0 + 0.030 + 0.5 + 0.06);  // it catches up before it is heard
}

TEST_CASE("fader and mute go over along with the chain, for any split between gain and fader", "[engine]") {
    const auto voice = noise(0.02, 6.0, 5);
    const auto limiter = stage("limiter", {{"lookahead", 5}, {"ceiling", -0.1}});
    struct Split {
        double gain, fader;
        bool mute;
    };
    const auto spec = [&](const Split& s) { return chain_of({stage("gain", {{"gain", s.gain}}), limiter}); };
    const auto level = [](const Split& s) { return strip_level(s.fader, s.mute); };
    const Split pairs[][2] = {{{12, -12, false}, {0, 0, false}},  {{0, 0, false}, {12, -12, false}},
                              {{-6, 6, false}, {12, -12, false}}, {{0, 0, false}, {6, -20, false}},
                              {{0, 0, false}, {12, 0, true}},     {{12, -60, false}, {0, 0, false}}};
    for (const auto& [from, to] : pairs) {
        INFO(from.gain << " dB and fader " << from.fader << " to " << to.gain << " and " << to.fader);
        Engine engine;
        REQUIRE(engine.open({48000, 1}, spec(from)).ok());
        engine.chain().set_level(level(from));
        (void)push(engine, voice);
        follow(engine, spec(to), Fade::over(2.0), level(to));
        const auto x = push(engine, voice);
        // Tenths of a second of the sound before and after, and between them.
        const auto tenth = [&](const std::vector<float>& y, size_t i) { return rms(y, 4800 * i, 4800); };
        std::vector<float> before = voice, after = voice;
        for (float& v : before) v *= static_cast<float>(db_to_gain(from.gain) * level(from));
        for (float& v : after) v *= static_cast<float>(db_to_gain(to.gain) * level(to));
        for (size_t i = 1; i + 1 < x.size() / 4800; ++i) {
            const double least = std::min(tenth(before, i), tenth(after, i));
            const double most = std::max(tenth(before, i), tenth(after, i));
            INFO("tenth " << i);
            CHECK(tenth(x, i) <= most * db_to_gain(1.0) + 1e-6);
            CHECK(tenth(x, i) >= least * db_to_gain(-1.0) - 1e-6);
        }
        const size_t last = x.size() / 4800 - 2;
        CHECK(tenth(x, last) == Approx(tenth(after, last)).epsilon(0.01).margin(1e-5));
    }
    // Moved by hand in the middle of it, the fader is followed at once.
    Engine engine;
    REQUIRE(engine.open({48000, 1}, spec(pairs[0][0])).ok());
    engine.chain().set_level(level(pairs[0][0]));
    (void)push(engine, voice);
    follow(engine, spec(pairs[0][1]), Fade::over(2.0), level(pairs[0][1]));
    (void)push(engine, {voice.begin(), voice.begin() + 48000});
    engine.set_fader(kFaderMinDb);
    CHECK(rms(push(engine, {voice.begin(), voice.begin() + 9600}), 4800, 4800) < 1e-6);
}

TEST_CASE("the loudness holds while one sound goes over into another", "[engine]") {
    // Noise below 8 kHz into noise above it: nothing of the two is alike, so that a fade by amplitude alone
    // would dip by 3 dB.
    const auto voice = noise(0.1, 10.0, 5);
    const auto part = [](double type, double gain) {
        return chain_of(
            {stage("gain", {{"gain", gain}}),
             stage("equalizer", {{"band1_type", type}, {"band1_frequency", 8000}, {"band1_slope", 7}})});
    };
    const ChainSpec below = part(4, 10.0 * std::log10(3.0));
    const ChainSpec above = part(3, 10.0 * std::log10(1.5));
    const ChainSpec plain = chain_of({stage("gain")});
    const ChainSpec late = chain_of({stage("limiter", {{"lookahead", 9}, {"true_peak", 0}})});
    struct Change {
        const char* name;
        ChainSpec from, to;
        bool alike;
        double within;
    };
    for (const auto& [name, from, to, alike, within] :
         {Change{"the same sound", plain, chain_of({stage("gain"), stage("gain")}), true, 0.5},
          Change{"the same sound, later", plain, late, false, 0.5},
          // Measured: 0.56 dB lower in the middle, where a fade by amplitude alone is 3 dB lower.
          Change{"another sound", below, above, false, 0.7}}) {
        Engine engine;
        REQUIRE(engine.open({48000, 1}, from).ok());
        (void)push(engine, std::vector<float>(voice.begin(), voice.begin() + 48000));
        follow(engine, to, Fade::over(4));
        const auto x = push(engine, std::vector<float>(voice.begin() + 48000, voice.end()));
        double least = 0.0, most = -200.0;
        for (size_t i = 0; i + 9600 < x.size(); i += 4800) {
            const double level = db(rms(x, i, 9600));
            least = i == 0 ? level : std::min(least, level);
            most = std::max(most, level);
        }
        INFO(name << ": " << least << " to " << most << " dBFS");
        CHECK(least > -20.0 - within);
        CHECK(most < -20.0 + within);
        if (!alike) continue;
        // What is the same on both sides goes through as it is.
        double worst = 0.0;
        for (size_t i = 0; i < x.size(); ++i)
            worst = std::max(worst, std::abs(static_cast<double>(x[i]) - voice[48000 + i]));
        CHECK(worst < 1e-6);
    }
}

TEST_CASE("no word is cut, doubled or too loud while a scene takes over", "[chain][figures]") {
    // Recorded words. Wherever it begins, every tenth of a second of speech is as loud as in one of the two
    // scenes, or between them, and nothing is added at the top, as a click would.
    const auto x = spoken_words(2);
    const ChainSpec early =
        chain_of({stage("gate", {{"open_threshold", -50}, {"close_threshold", -55}}),
                  stage("compressor", {{"threshold", -30}, {"ratio", 3}, {"makeup", 4}}), stage("limiter")});
    const ChainSpec late = chain_of({stage("gate", {{"open_threshold", -45}, {"close_threshold", -50}}),
                                     stage("equalizer", {{"band5_gain", 4}}),
                                     stage("compressor", {{"threshold", -24}, {"ratio", 2}, {"makeup", 2}}),
                                     stage("limiter", {{"lookahead", 8}})});
    const auto plain = [&](const ChainSpec& chain) { return run(chain, x); };
    const auto a = plain(early), b = plain(late);
    // A second-order high-pass at 12 kHz leaves next to nothing of these words.
    const auto top = [](const std::vector<float>& s) {
        return run(
            chain_of({stage("equalizer", {{"band1_on", 1}, {"band1_type", 3}, {"band1_frequency", 12000}})}),
            s);
    };
    const auto top_a = top(a), top_b = top(b);
    int judged = 0;
    // From one delay to a longer one, and back.
    for (const auto& [fade, longer] :
         {std::pair(0.0, true), {0.3, true}, {2.0, true}, {0.3, false}, {2.0, false}}) {
        for (double at = 1.0; at + 4.0 < static_cast<double>(x.size()) / 48000; at += 2.11) {
            const auto from = static_cast<std::ptrdiff_t>(at * 48000) / 256 * 256;
            Engine engine;
            REQUIRE(engine.open({48000, 1}, longer ? early : late).ok());
            auto y = push(engine, {x.begin(), x.begin() + from});
            follow(engine, longer ? late : early, Fade::over(fade));
            append(y, push(engine, {x.begin() + from, x.end()}));
            const auto top_y = top(y);
            for (size_t i = static_cast<size_t>(from);
                 i + 4800 < std::min(y.size(), static_cast<size_t>(from) + 150000); i += 2400) {
                INFO("fade " << fade << ", begun at " << at << ", at " << static_cast<double>(i) / 48000);
                CHECK(db(rms(top_y, i, 4800)) <
                      std::max(levels_of_both(top_a, top_b, i).second + 1.0, -75.0));
                // Rendered without the delay that the engine has.
                judged += check_as_loud_as(y, a, b, i) ? 1 : 0;
            }
        }
    }
    CHECK(judged > 200);
}

TEST_CASE("no peak of a fade is higher than those of either side, so that a lid holds through it",
          "[engine]") {
    // As loud as the lids let it through, and nothing alike in both.
    const auto loud = noise(0.5, 6.0, 9);
    const auto lid = [](double lookahead) {
        return stage("limiter", {{"lookahead", lookahead}, {"true_peak", 0}, {"ceiling", -6}});
    };
    Engine engine;
    REQUIRE(engine.open({48000, 1}, chain_of({lid(1)})).ok());
    (void)push(engine, std::vector<float>(loud.begin(), loud.begin() + 48000));
    follow(engine, chain_of({stage("gain", {{"gain", 3}}), lid(9)}), Fade::over(3));
    const auto x = push(engine, std::vector<float>(loud.begin() + 48000, loud.end()));
    CHECK(db(peak(x)) < -6.0 + 0.01);
    CHECK(db(peak(x)) > -6.5);
}

TEST_CASE("a new chain has heard every sample the old one has", "[engine]") {
    // A notch takes a hum away; had the new chain missed a part of it, or started anew, the notch would ring.
    // The machine may be as slow as it likes between the calls.
    for (const Fade fade : {Fade::quick, Fade::scene}) {
        const auto notch = stage(
            "equalizer", {{"band2_on", 1}, {"band2_type", 5}, {"band2_frequency", 50}, {"band2_q", 10}});
        REQUIRE(notch.value("band2_type") == static_cast<double>(FilterType::notch));
        ChainSpec chain = chain_of({notch});
        Engine engine;
        REQUIRE(engine.open({48000, 1}, chain).ok());
        const auto hum = sine(50, 0.1, 20.0);
        AudioBuffer work = mono(hum);
        const std::uint32_t before = engine.chain().sounding();
        constexpr size_t kChange = 8 * 48000 / 256 * 256;
        for (size_t i = 0; i < hum.size(); i += 256) {
            // The sound goes on while the chain is built.
            if (i == kChange) {
                chain.stages.push_back(stage("gain", {{"gain", 0}}));
                REQUIRE(engine.chain().follow(chain, fade).ok());
            }
            engine.process(work.block(i, static_cast<int>(std::min<size_t>(256, hum.size() - i))));
            if (i >= kChange && engine.chain().sounding() == before)
                std::this_thread::sleep_for(std::chrono::microseconds(500));
        }
        REQUIRE(engine.chain().sounding() != before);
        // The notch itself takes some seconds at the start to settle.
        CHECK(db(peak(work[0], 8 * 48000)) < -90.0);
    }
}

TEST_CASE("a stage that is bypassed goes over to the sound of the same moment", "[chain]") {
    // The limiter has nothing to do, so bypassed or not the sound is the same, 3 ms late; a dry way that had
    // not been kept current would start with silence.
    const auto x = noise(0.05, 1.0, 3);
    ChainSpec spec = chain_of({stage("limiter", {{"lookahead", 3}, {"true_peak", 0}})});
    auto built = Chain::build(spec, {48000, 1});
    Chain* chain = built.value().get();
    AudioBuffer work = mono(x);
    for (int i = 0; i < 48000; i += 480) {
        if (i == 9600 || i == 28800) {
            spec.stages[0].bypass = !spec.stages[0].bypass;
            chain->post(spec);
        }
        chain->process(work.block(static_cast<size_t>(i), 480));
    }
    double worst = 0.0;
    for (size_t i = 144; i < x.size(); ++i)
        worst = std::max(worst, std::abs(static_cast<double>(work[0][i]) - x[i - 144]));
    CHECK(worst < 1e-6);
}

TEST_CASE("a bypassed stage reports no reduction", "[chain]") {
    ChainSpec spec = chain_of({stage("compressor", {{"threshold", -40}, {"ratio", 4}})});
    for (const bool bypass : {false, true}) {
        spec.stages[0].bypass = bypass;
        Engine engine;
        REQUIRE(engine.open({48000, 1}, spec).ok());
        (void)push(engine, sine(1000, 0.5, 1.0));
        double most = 0.0;
        for (TapFrame f; engine.chain().take_tap(f);)
            if (f.tap == 1 && f.index > 10) most = std::max<double>(most, f.reduction_db);
        if (bypass) {
            CHECK(most == 0.0);
        } else {
            CHECK(most > 10.0);
        }
    }
}

TEST_CASE("what a stage hears is handed out with the stages before it run in", "[engine]") {
    // A compressor that takes its time: without a run-up the first half second would come out too loud.
    const ChainSpec spec =
        chain_of({stage("compressor", {{"threshold", -30}, {"ratio", 4}, {"attack", 100}, {"release", 500}}),
                  stage("gain")});
    Engine engine;
    REQUIRE(engine.open({48000, 1}, spec).ok());
    (void)push(engine, sine(1000, 0.5, 5.0));
    const auto heard = engine.chain().render_before_stage(spec, 1, 1.0);
    REQUIRE(heard.size() == 48000);
    CHECK(db(rms(heard, 0, 2400)) == Approx(db(rms(heard, 45600, 2400))).margin(0.05));
    CHECK(db(rms(heard)) < db(rms(sine(1000, 0.5, 1.0))) - 10.0);
    // Before the first stage it is the input itself.
    const auto plain = engine.chain().render_before_stage(spec, 0, 1.0);
    CHECK(db(rms(plain)) == Approx(db(0.5 / std::sqrt(2.0))).margin(0.01));
}

TEST_CASE("a chain that starts cold says nothing about its first second and a half", "[engine]") {
    Engine engine;
    REQUIRE(engine.open({48000, 1}, chain_of({stage("gain")})).ok());
    MeterReader readings(engine);
    const auto hear = [&](const std::vector<float>& x) {
        for (size_t at = 0; at + 4800 <= x.size(); at += 4800) {
            (void)push(engine, {x.begin() + static_cast<long>(at), x.begin() + static_cast<long>(at + 4800)});
            readings.poll();
        }
    };
    hear(sine(1000, 0.5, 1.4));
    hear(sine(1000, 0.001, 3.0));
    REQUIRE(readings.fits(1));
    CHECK(readings.levels().taps[0].peak == Approx(-60.0).margin(0.5));
    hear(sine(1000, 0.25, 0.5));
    CHECK(readings.levels().taps[0].peak == Approx(db(0.25)).margin(0.5));
}

TEST_CASE("a clip is told as long as the window of the levels, and not after starting anew", "[engine]") {
    Engine engine;
    REQUIRE(engine.open({48000, 1}, {}).ok());
    MeterReader readings(engine);
    readings.set_window(3.0);
    const auto hear = [&](const std::vector<float>& x) {
        AudioBuffer work = mono(x);
        for (size_t i = 0; i < x.size(); i += 480) {
            engine.process(work.block(i, static_cast<int>(std::min<size_t>(480, x.size() - i))));
            readings.poll();
        }
    };
    const std::vector<float> over(480, 1.0f);
    hear(sine(200, 0.1, 1.0));
    CHECK(readings.clipped() == 0);
    hear(over);
    CHECK(readings.clipped() == 480);
    hear(sine(200, 0.1, 2.5));
    CHECK(readings.clipped() == 480);
    hear(sine(200, 0.1, 1.0));
    CHECK(readings.clipped() == 0);
    CHECK(readings.figures().clipped == 480);
    hear(over);
    CHECK(readings.clipped() == 480);
    readings.restart();
    hear(sine(200, 0.1, 0.1));
    CHECK(readings.clipped() == 0);
    // Another input begins at nothing.
    hear(over);
    REQUIRE(engine.open({48000, 1}, {}).ok());
    hear(sine(200, 0.1, 0.1));
    CHECK(readings.clipped() == 0);
}

TEST_CASE("the engine may be asked for everything at once, from the threads that do", "[engine]") {
    // For the thread sanitizer above all: sound, control, readings and readers of history run side by side.
    Engine engine;
    const ChainSpec first = chain_of({stage("gate"), stage("compressor")});
    REQUIRE(engine.open({48000, 1}, first).ok());
    std::atomic<bool> quit{false};
    std::atomic<int> not_finite{0};
    std::thread sound([&] {
        AudioBuffer block(1, 256);
        const auto x = noise(0.1, 1.0, 9);
        for (size_t at = 0; !quit; at = (at + 256) % 40000) {
            std::copy_n(x.begin() + static_cast<long>(at), 256, block[0].begin());
            engine.process(block.block(0, 256));
            for (const float s : block[0]) not_finite += std::isfinite(s) ? 0 : 1;
            for (int i = 0; i < engine.monitor().frames; ++i)
                not_finite += std::isfinite(engine.monitor()[0][i]) ? 0 : 1;
        }
    });
    std::thread reader([&] {
        std::vector<float> out(4096);
        float* rows[2] = {out.data(), out.data()};
        const std::shared_ptr<const HistoryRing> rings[] = {engine.input_history(), engine.feed_history(),
                                                            engine.monitor_history()};
        while (!quit) {
            for (const auto& ring : rings) (void)ring->read(ring->written() - 4096, 4096, rows);
            (void)engine.figures();
        }
    });
    MeterReader readings(engine);
    for (int round = 0; round < 60; ++round) {
        ChainSpec next = first;
        next.stages[0].set("open_threshold", -60.0 + round % 20);
        next.stages[1].bypass = round % 3 == 0;
        if (round % 4 == 0) next.stages.push_back(stage("limiter"));
        REQUIRE(engine.chain().follow(next, round % 8 == 0 ? Fade::scene : Fade::quick).ok());
        engine.set_mute(round % 5 == 0);
        engine.set_monitor({round % 2 == 0 ? MonitorSource::feed : MonitorSource::plain});
        engine.chain().probe(round % 3 - 1);
        readings.poll();
        (void)engine.chain().troubles();
        (void)engine.chain().stage_latencies();
        if (round % 10 == 0) (void)engine.chain().render_before_stage(next, 1, 0.5);
        const auto blocks = engine.figures().blocks;
        while (engine.figures().blocks < blocks + 8) std::this_thread::yield();
    }
    REQUIRE(engine.chain().follow(first).ok());
    while (!engine.chain().settled()) std::this_thread::yield();
    quit = true;
    sound.join();
    reader.join();
    CHECK(not_finite == 0);
    CHECK(engine.figures().faults == 0);
}
