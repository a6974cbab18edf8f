// Automatic make-up on speech: what it gives hangs on the voice's usual level, not on the last shout or
// pause.
#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <thread>

#include "base/decibel.h"
#include "chain/chain.h"
#include "engine/engine.h"
#include "measure/speech_level.h"
#include "scenes/scene.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

StageSpec compressor() {
    return stage("compressor", {{"threshold", -30}, {"ratio", 3}, {"release", 140}, {"auto_makeup", 1}});
}

std::vector<float> scaled(std::vector<float> x, double by_db) {
    for (float& v : x) v *= static_cast<float>(db_to_gain(by_db));
    return x;
}

/// Spoken words brought to peaks of about `peak_db`, for `seconds`.
std::vector<float> talk(double seconds, double peak_db) {
    auto out = spoken_words(6);
    out.resize(std::min(out.size(), static_cast<size_t>(seconds * 48000)));
    return scaled(out, peak_db - db(peak(out)));
}

/// Gain in dB from `in` to `out` over a stretch.
double gain(const std::vector<float>& in, const std::vector<float>& out, size_t first, double seconds) {
    const auto n = static_cast<size_t>(seconds * 48000);
    return db(rms(out, first, n) / rms(in, first, n));
}

}  // namespace

TEST_CASE("a shout or a laugh leaves quiet talk as loud as it was", "[reference][compressor]") {
    // Quiet talk, three seconds of shouting 18 dB louder, the same quiet talk again.
    const auto before = talk(20, -14);
    const auto quiet = scaled(before, -8);
    std::vector<float> in = before;
    append(in, quiet);
    const size_t shout = in.size();
    append(in, talk(3, 0));
    const size_t after = in.size() + 300 * 48;
    append(in, quiet);
    const auto out = run(chain_of({compressor()}), in);
    const double was = gain(in, out, before.size() + 300 * 48, 10.0);
    const double is = gain(in, out, after, 10.0);
    INFO("quiet talk was lifted by " << was << " dB before and " << is << " dB after the shout at " << shout);
    CHECK(std::abs(is - was) < 1.5);
}

namespace {

/// Chain of the first voice of a shipped scene.
ChainSpec shipped(const std::string& file) {
    const auto read = load_scene(std::string(REED_DEMO_DATA) + "/scenes/" + file + ".json");
    REQUIRE(read.scene);
    for (const StripSpec& s : read.scene->desk.strips) {
        if (s.role == StripRole::voice) return s.chain;
    }
    return {};
}

/// By how many dB the same words are louder after a shout of 1.2 s at -1 dBFS than before it: the least and
/// the most over stretches of 3 s, from 0.3 s after it to the end. `level`: of the words in dBFS (active
/// level).
std::pair<double, double> change_by_shout(const ChainSpec& chain, double level, double seconds_before,
                                          double seconds_after) {
    const auto one = spoken_words(1);
    const auto words = scaled(one, level - speech_level(one, 48000.0)->active_dbfs);
    const auto fill = [&](double seconds) {
        std::vector<float> out;
        while (static_cast<double>(out.size()) < seconds * 48000.0) append(out, words);
        return out;
    };
    std::vector<float> in = fill(seconds_before);
    const size_t period = words.size(), last = in.size() - period;
    auto shout = sine(300, db_to_gain(-1.0), 1.2);
    const auto harmonic = sine(900, db_to_gain(-12.0), 1.2);
    for (size_t i = 0; i < shout.size(); ++i) shout[i] = std::clamp(shout[i] + harmonic[i], -0.89f, 0.89f);
    append(in, shout);
    const size_t after = in.size();
    append(in, fill(seconds_after));
    const auto room =
        dull_noise(db_to_gain(level - 30.0), 500.0, static_cast<double>(in.size()) / 48000.0, 7);
    const auto out = run(chain, mix(in, room));
    double least = 100.0, most = -100.0;
    constexpr size_t kStretch = 3 * 48000;
    for (size_t at = after; at + period <= in.size(); at += period) {
        // The same place in the words of before, from 0.3 s on.
        for (size_t from = 14400; from + kStretch <= period; from += kStretch) {
            const double d = db(rms(out, at + from, kStretch) / rms(out, last + from, kStretch));
            least = std::min(least, d);
            most = std::max(most, d);
        }
    }
    return {least, most};
}

}  // namespace

TEST_CASE("a shout leaves quiet voices as loud as they were, in shipped scenes",
          "[reference][compressor][figures]") {
    // All six scenes from -18 to -38 dBFS: REED_ALL_SCENES=1. These two are the farthest off.
    const bool all = std::getenv("REED_ALL_SCENES") != nullptr;
    std::vector<std::string> scenes{"bench-talk", "lathe-running"};
    std::vector<double> levels{-18.0, -28.0, -38.0};
    if (all) {
        scenes = {"bench-talk",        "evening-quiet", "rain-on-tin",
                  "apprentice-s-seat", "lathe-running", "two-at-the-bench"};
        levels = {-18.0, -23.0, -28.0, -33.0, -38.0};
    }
    for (const auto& scene : scenes) {
        for (const double level : levels) {
            const auto [least, most] =
                change_by_shout(shipped(scene), level, all ? 25.0 : 20.0, all ? 60.0 : 24.0);
            INFO(scene << " at " << level << " dBFS: " << least << " to " << most << " dB");
            if (all)
                std::printf("%-20s %5.0f dBFS: %+5.2f to %+5.2f dB\n", scene.c_str(), level, least, most);
            CHECK(least > -1.5);
            CHECK(most < 1.5);
        }
    }
}

TEST_CASE("the first words of a new chain are as loud as later ones, and noise alone is not lifted",
          "[reference][compressor][figures]") {
    for (const double level : {-18.0, -23.0, -28.0}) {
        INFO("voice of " << level << " dBFS");
        const auto one = spoken_words(1);
        const auto words = scaled(one, level - speech_level(one, 48000.0)->active_dbfs);
        std::vector<float> in;
        for (int i = 0; i < 5; ++i) append(in, words);
        const auto out = run(chain_of({compressor()}), mix(in, noise(db_to_gain(level - 40.0), 70.0, 3)));
        // The first word of all, and the same one when all is known.
        const size_t first = 38400, length = 72000, later = 4 * words.size();
        const double d = db(rms(out, first, length) / rms(out, later + first, length));
        CHECK(std::abs(d) < 3.0);
    }
    // A loud room, close to the threshold, in which nobody has spoken yet.
    const auto room = dull_noise(db_to_gain(-40.0), 2000.0, 20.0, 5);
    ChainSpec plain = chain_of({compressor()});
    plain.stages[0].set("auto_makeup", 0);
    const double lifted = db(rms(run(chain_of({compressor()}), room)) / rms(run(plain, room)));
    CHECK(lifted < 1.0);
}

TEST_CASE("the first word after a pause is as loud as it was", "[reference][compressor]") {
    const auto words = talk(20, -10);
    std::vector<float> in = words;
    // Half a minute in which a gate has left a little of the room, above the old estimate's limit.
    append(in, noise(db_to_gain(-58), 30.0, 4));
    const size_t again = in.size();
    append(in, words);
    const auto out = run(chain_of({compressor()}), in);
    // The same stretch of the same words: 100 ms from the first sample above -30 dBFS on.
    size_t first = 0;
    while (std::abs(words[first]) < 0.03f) ++first;
    const double settled = gain(in, out, first + 6 * 48000, 10.0);
    const double then = gain(in, out, again + first + 6 * 48000, 10.0);
    CHECK(std::abs(then - settled) < 0.3);
    // Against the make-up of twenty seconds of talk, which the very first word had not.
    ChainSpec fixed = chain_of({compressor()});
    fixed.stages[0].set("auto_makeup", 0);
    const auto plain = run(fixed, in);
    const double usual = gain(plain, out, again - 48000, 0.5);
    const double first_word = gain(plain, out, again + first, 0.1);
    INFO("make-up in the pause " << usual << " dB, at the first word " << first_word);
    CHECK(std::abs(first_word - usual) < 1.0);
}

TEST_CASE("a new chain gives the voice the make-up of the one before", "[reference][compressor]") {
    // Rebuilt and recalled in a pause so long that nothing of the voice is left in what a new chain hears
    // first.
    for (const Fade fade : {Fade::quick, Fade::scene}) {
        ChainSpec chain = chain_of({compressor()});
        Engine engine;
        REQUIRE(engine.open({48000, 1}, chain).ok());
        const auto words = talk(20, -10);
        std::vector<float> in = words;
        append(in, noise(db_to_gain(-80), 15.0, 4));
        const size_t again = in.size();
        append(in, words);
        AudioBuffer work = mono(in);
        for (size_t i = 0; i < in.size(); i += 480) {
            if (i == (again - 48000) / 480 * 480) {
                chain.stages.insert(chain.stages.begin(), stage("gain"));
                REQUIRE(engine.chain().follow(chain, fade).ok());
                while (!engine.chain().settled()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
            }
            engine.process(work.block(i, static_cast<int>(std::min<size_t>(480, in.size() - i))));
        }
        size_t first = 0;
        while (std::abs(words[first]) < 0.03f) ++first;
        const double before = gain(in, work[0], first + 10 * 48000, 9.0);
        const double after = gain(in, work[0], again + first + 10 * 48000, 9.0);
        CHECK(std::abs(after - before) < 0.5);
        // What it adds in the pause, after the take-over and before it: the same.
        const double pause_before = gain(in, work[0], again - 3 * 48000, 1.0);
        const double pause_after = gain(in, work[0], again - 12000, 0.2);
        CHECK(std::abs(pause_after - pause_before) < 0.2);
        CHECK(pause_before > 3.0);
    }
}

TEST_CASE("the longest release at the highest rate ends where it should", "[reference][compressor]") {
    // A float's step is too small for it: 3 dB were left over.
    const auto s = stage(
        "compressor", {{"threshold", -40}, {"ratio", 20}, {"knee", 0}, {"release", 2000}, {"detection", 1}});
    constexpr double kRate = 192000;
    std::vector<float> in = sine(1000, db_to_gain(-6), 2.0, kRate);
    append(in, sine(1000, db_to_gain(-30), 18.0, kRate));
    const auto out = run(chain_of({s}), in, kRate);
    // -30 in, 10 over the threshold: 9.5 of them are taken.
    const double taken = -db(rms(out, out.size() - 192000, 96000) / rms(in, in.size() - 192000, 96000));
    CHECK(taken == Approx(9.5).margin(0.1));  // what ripples through a window of 4 ms is held
}
