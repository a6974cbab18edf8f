// Dynamics that are as quick as they say, and no quicker than the wave they hold.
#include <catch2/catch.hpp>
#include <cmath>

#include "base/decibel.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// dB taken at each millisecond of a tone of `low` dBFS that steps to `high` at 0.5 s.
std::vector<double> taken(const StageSpec& s, double low, double high) {
    std::vector<float> in = sine(4000, db_to_gain(low), 0.5);
    append(in, sine(4000, db_to_gain(high), 1.0));
    const auto out = run(chain_of({s}), in);
    std::vector<double> each;
    for (size_t at = 0; at + 48 <= in.size(); at += 48)
        each.push_back(-db(rms(out, at, 48) / rms(in, at, 48)));
    return each;
}

}  // namespace

TEST_CASE("a loud word is caught within the attack that is set, by RMS too", "[reference][compressor]") {
    for (const double attack : {0.5, 1.0, 2.0, 4.0, 20.0}) {
        for (const double detection : {0.0, 1.0}) {
            const auto t = taken(stage("compressor", {{"threshold", -22},
                                                      {"ratio", 3},
                                                      {"knee", 6},
                                                      {"detection", detection},
                                                      {"attack", attack}}),
                                 -30, -2);
            const double end = t.back();
            CHECK(end == Approx(13.3).margin(0.2));
            size_t within = 500;
            while (t[within] < end - 1.0) ++within;
            // One pole (JAES 2012): within 1 dB of 13.3 after ln(13.3) = 2.6 times its time; the window of
            // the RMS adds its own 1.2 times, 3 to 10 ms.
            INFO("attack " << attack << ", " << (detection > 0 ? "RMS" : "peak"));
            const double window = detection > 0 ? 1.3 * std::clamp(attack, 3.0, 10.0) : 0.0;
            CHECK(static_cast<double>(within - 500) <= 2.7 * attack + window + 2.0);
        }
    }
}

TEST_CASE("a shorter window leaves the voice's low tones as they are", "[reference][compressor]") {
    const StageSpec s =
        stage("compressor", {{"threshold", -30}, {"ratio", 3}, {"attack", 4}, {"release", 140}});
    for (const double f : {90.0, 150.0}) {
        const auto out = run(chain_of({s}), sine(f, 0.3, 2.0));
        const double first = tone_amplitude(out, f, 48000, 48000);
        INFO(f);
        // Third harmonic below -45 dB, and the level within half a decibel of what a high tone gets.
        CHECK(db(tone_amplitude(out, 3 * f, 48000, 48000) / first) < -45.0);
        const auto high = run(chain_of({s}), sine(2000, 0.3, 2.0));
        CHECK(db(first / tone_amplitude(high, 2000, 48000, 48000)) == Approx(0.0).margin(0.5));
    }
}

TEST_CASE("talk after a shout is not left low by the automatic release", "[reference][compressor]") {
    const auto talk_after = [](double automatic, double shout, double after) {
        const StageSpec s = stage(
            "compressor", {{"threshold", -22}, {"ratio", 3}, {"release", 140}, {"auto_release", automatic}});
        std::vector<float> in = sine(700, db_to_gain(-18), 2.0);
        append(in, sine(700, db_to_gain(-3), shout));
        const size_t end = in.size();
        append(in, sine(700, db_to_gain(-18), 3.0));
        const auto out = run(chain_of({s}), in);
        const auto at = end + static_cast<size_t>(after * 48000.0);
        return db(rms(out, at, 1440) / rms(out, 72000, 20000));
    };
    CHECK(talk_after(1, 0.7, 0.3) > -4.0);
    CHECK(talk_after(1, 0.7, 1.0) > -1.2);
    CHECK(talk_after(1, 0.7, 2.0) > -0.4);
    // After four loud seconds it is slower than without.
    CHECK(talk_after(1, 4.0, 0.5) < talk_after(0, 4.0, 0.5) - 1.5);
}

TEST_CASE("the limiter holds low tones without bending them, however short its release",
          "[reference][limiter]") {
    for (const double f : {70.0, 80.0, 120.0, 300.0}) {
        for (const double true_peak : {0.0, 1.0}) {
            const StageSpec s = stage(
                "limiter", {{"ceiling", -6}, {"release", 5}, {"true_peak", true_peak}, {"lookahead", 2}});
            const auto out = run(chain_of({s}), sine(f, 1.0, 2.0));
            const double first = tone_amplitude(out, f, 48000, 48000);
            CHECK(db(first) == Approx(-6.0).margin(0.3));
            double bent = 0.0;
            for (int n = 2; n <= 9; ++n) {
                const double h = tone_amplitude(out, n * f, 48000, 48000);
                bent += h * h;
            }
            INFO(f << " Hz");
            CHECK(std::sqrt(bent) / first < 0.01);  // it was 7 % at 80 Hz
        }
    }
}
