// Automatic make-up on speech: what it gives hangs on the voice's usual level, not on the last shout or
// pause.
#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <thread>

#include "base/decibel.h"
#include "chain/chain.h"
#include "engine/engine.h"
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
