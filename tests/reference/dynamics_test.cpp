// Gate, expander, compressor and limiter against their definitions.
#include <catch2/catch.hpp>
#include <cmath>

#include "base/decibel.h"
#include "chain/chain.h"
#include "dsp/gain_computer.h"
#include "measure/loudness.h"
#include "reference/true_peak.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Level out for a steady 1 kHz tone of `level` dBFS, after it has settled.
double settled(const StageSpec& s, double level) {
    const auto out = run(chain_of({s}), sine(1000, db_to_gain(level), 2.0));
    return db(tone_amplitude(out, 1000, 48000, 48000));
}

/// Reduction in dB over time of a tone that steps from `low` to `high` dBFS at 0.5 s and back at 1.5 s.
std::vector<double> step_response(const StageSpec& s, double low, double high, double frequency = 6000) {
    std::vector<float> in = sine(frequency, 1.0, 3.0);
    for (size_t i = 0; i < in.size(); ++i) {
        const bool loud = i >= 24000 && i < 72000;
        in[i] *= static_cast<float>(db_to_gain(loud ? high : low));
    }
    const auto out = run(chain_of({s}), in);
    std::vector<double> reduction;
    // Per period of 8 samples: largest out over largest in.
    for (size_t i = 0; i + 8 <= in.size(); i += 8) reduction.push_back(-db(peak(out, i, 8) / peak(in, i, 8)));
    return reduction;
}

/// Seconds after `start` until the curve has made 63 % of its way from its value there to `goal`.
double time_to_63(const std::vector<double>& curve, double start, double goal) {
    const auto first = static_cast<size_t>(start * 6000);
    const double from = curve[first - 1];
    for (size_t i = first; i < curve.size(); ++i) {
        if (std::abs(curve[i] - from) >= 0.632 * std::abs(goal - from))
            return static_cast<double>(i - first) / 6000.0;
    }
    return 1e9;
}

}  // namespace

TEST_CASE("the static curve has the tutorial's quadratic knee", "[reference][compressor]") {
    // D. Giannoulis, M. Massberg, J. D. Reiss, JAES 60 (6), 2012, eq. 4, written out from the paper.
    const auto paper = [](double x, double t, double r, double w) {
        if (2 * (x - t) < -w) return x;
        if (2 * std::abs(x - t) <= w) return x + (1 / r - 1) * (x - t + w / 2) * (x - t + w / 2) / (2 * w);
        return t + (x - t) / r;
    };
    for (const double knee : {0.0, 3.0, 12.0, 24.0}) {
        for (const double ratio : {1.0, 2.0, 4.0, 20.0}) {
            for (double x = -60; x <= 6; x += 0.25) {
                if (knee == 0.0 && x == -22.0) continue;  // 0/0 in the paper's form
                const double out =
                    x - compressor_reduction(static_cast<float>(x), -22, static_cast<float>(ratio),
                                             static_cast<float>(knee));
                CHECK(out == Approx(paper(x, -22, ratio, knee)).margin(1e-4));
            }
        }
    }
}

TEST_CASE("a steady tone comes out on the static curve, by peak and by RMS", "[reference][compressor]") {
    for (const double detection : {0.0, 1.0}) {
        for (const double knee : {0.0, 10.0}) {
            const StageSpec s = stage(
                "compressor", {{"threshold", -24}, {"ratio", 4}, {"knee", knee}, {"detection", detection}});
            for (const double level : {-40.0, -30.0, -24.0, -20.0, -12.0, -3.0}) {
                const double wanted =
                    level - compressor_reduction(static_cast<float>(level), -24, 4, static_cast<float>(knee));
                INFO("detection " << detection << " knee " << knee << " level " << level);
                // RMS ripple and peaks between samples leave a little.
                CHECK(settled(s, level) == Approx(wanted).margin(0.25));
            }
        }
    }
}

TEST_CASE("the static curve above the threshold is T + (x - T) / R", "[reference][compressor]") {
    // Equation (3) of D. Giannoulis, M. Massberg, J. Reiss, JAES 60 (6), 2012 (its number from memory), for a
    // threshold T of -30 dB, a ratio R of 2.5 and an input x of -10 dB: -22 dB.
    CHECK(settled(stage("compressor", {{"threshold", -30}, {"ratio", 2.5}, {"knee", 0}}), -10) ==
          Approx(-22).margin(0.1));
}

TEST_CASE("attack and release are the times for 63 % of the way", "[reference][compressor]") {
    for (const double attack : {5.0, 20.0, 100.0}) {
        for (const double release : {60.0, 200.0}) {
            const StageSpec s = stage("compressor", {{"threshold", -40},
                                                     {"ratio", 4},
                                                     {"knee", 0},
                                                     {"detection", 0},
                                                     {"attack", attack},
                                                     {"release", release}});
            const auto r = step_response(s, -50, -10);
            INFO("attack " << attack << " release " << release);
            CHECK(r[8900] == Approx(22.5).margin(0.3));
            CHECK(1000 * time_to_63(r, 0.5, 22.5) == Approx(attack).epsilon(0.05).margin(0.4));
            // The peak detector's release runs through the attack smoothing as well (decoupled form).
            CHECK(1000 * time_to_63(r, 1.5, 0.0) == Approx(release).epsilon(0.10).margin(1.25 * attack));
        }
    }
}

TEST_CASE("mix, make-up and automatic make-up do what they say", "[reference][compressor]") {
    const std::vector<std::pair<std::string, double>> base = {{"threshold", -30}, {"ratio", 4}, {"knee", 0}};
    StageSpec s = stage("compressor", base);
    const double squeezed = settled(s, -10);
    CHECK(squeezed == Approx(-25).margin(0.2));
    s.set("makeup", 6);
    CHECK(settled(s, -10) == Approx(squeezed + 6).margin(0.05));
    s.set("makeup", 0);
    s.set("mix", 50);
    CHECK(settled(s, -10) ==
          Approx(20 * std::log10(0.5 * db_to_gain(-10) + 0.5 * db_to_gain(squeezed))).margin(0.1));
    s.set("mix", 100);
    s.set("auto_makeup", 1);
    CHECK(settled(s, -10) == Approx(-10).margin(0.5));
    // Loudness kept on real speech, within 1 LU.
    const auto words = spoken_words(2);
    const auto out = run(chain_of({s}), words);
    const auto loudness = [](std::vector<float> x) {
        LoudnessMeter m({48000, 1}, LoudnessStorage::exact);
        AudioBuffer b = mono(x);
        m.add(b.block(0, static_cast<int>(x.size())));
        return *m.read().integrated;
    };
    const long settle = 48000 * 8;
    CHECK(loudness({out.begin() + settle, out.end()}) ==
          Approx(loudness({words.begin() + settle, words.end()})).margin(1.0));
}

TEST_CASE("automatic make-up does not follow the room through a pause", "[reference][compressor]") {
    const StageSpec s = stage(
        "compressor", {{"threshold", -30}, {"ratio", 4}, {"knee", 0}, {"release", 50}, {"auto_makeup", 1}});
    std::vector<float> in = sine(1000, db_to_gain(-10), 10.0);
    append(in, sine(1000, db_to_gain(-70), 20.0));
    const auto out = run(chain_of({s}), in);
    const auto lifted = [&](double at) {
        const auto first = static_cast<size_t>(at * 48000);
        return db(rms(out, first, 4800) / rms(in, first, 4800));
    };
    // 15 dB were taken from the voice and are given to all; twenty seconds of pause change nothing about it.
    CHECK(lifted(11.0) == Approx(15.0).margin(0.5));
    CHECK(lifted(29.5) == Approx(lifted(11.0)).margin(0.05));
}

TEST_CASE("automatic release lets go quickly of a click and slowly of a sentence",
          "[reference][compressor]") {
    const auto recovery = [](double automatic, double loud_seconds) {
        StageSpec s = stage("compressor", {{"threshold", -40},
                                           {"ratio", 8},
                                           {"knee", 0},
                                           {"release", 60},
                                           {"attack", 1},
                                           {"auto_release", automatic}});
        std::vector<float> in = sine(1000, db_to_gain(-50), 0.5);
        append(in, sine(1000, db_to_gain(-10), loud_seconds));
        const size_t end = in.size();
        append(in, sine(1000, db_to_gain(-50), 1.0));
        const auto out = run(chain_of({s}), in);
        return -db(rms(out, end + 12000, 480) / rms(in, end + 12000, 480));  // left after 250 ms
    };
    CHECK(recovery(0, 0.02) < 1.0);
    CHECK(recovery(0, 2.0) < 1.0);
    CHECK(recovery(1, 2.0) > 6.0);
    CHECK(recovery(1, 0.02) < 0.4 * recovery(1, 2.0));
}

TEST_CASE("the expander follows its static curve down to its depth", "[reference][expander]") {
    for (const double detection : {0.0, 1.0}) {
        const StageSpec s =
            stage("expander",
                  {{"threshold", -40}, {"ratio", 3}, {"knee", 0}, {"range", -18}, {"detection", detection}});
        INFO("detection " << detection);
        CHECK(settled(s, -30) == Approx(-30).margin(0.1));
        CHECK(settled(s, -44) == Approx(-52).margin(0.4));
        CHECK(settled(s, -70) == Approx(-88).margin(0.1));
    }
}

TEST_CASE("the gate opens, holds and closes at its times, with hysteresis", "[reference][gate]") {
    const StageSpec s = stage("gate", {{"open_threshold", -30},
                                       {"close_threshold", -40},
                                       {"attack", 12},
                                       {"hold", 120},
                                       {"release", 100},
                                       {"range", -40},
                                       {"lookahead", 0}});
    SECTION("times") {
        // Attack and release are 63 % of the way of the linear gain.
        std::vector<float> in = sine(6000, db_to_gain(-60), 0.5);
        append(in, sine(6000, db_to_gain(-10), 1.0));
        append(in, sine(6000, db_to_gain(-60), 1.5));
        const auto out = run(chain_of({s}), in);
        std::vector<double> gain;
        for (size_t i = 0; i + 8 <= in.size(); i += 8) gain.push_back(peak(out, i, 8) / peak(in, i, 8));
        CHECK(gain[2900] == Approx(0.01).epsilon(0.02));
        CHECK(gain[8900] == Approx(1.0).epsilon(0.01));
        // The 5 ms detector needs under a millisecond for a step of 50 dB.
        CHECK(1000 * time_to_63(gain, 0.5, 1.0) == Approx(12).margin(1.5));
        // Held for 120 ms after the detector has fallen below -40 (30 dB at 5 ms a neper of power: 35 ms).
        CHECK(gain[static_cast<size_t>(6000 * 1.61)] > 0.98);
        const double closing = time_to_63(gain, 1.5, 0.01);
        CHECK(1000 * closing == Approx(120 + 35 + 100).margin(15));
    }
    SECTION("hysteresis") {
        CHECK(settled(s, -35) == Approx(-75).margin(0.2));  // never opened
        std::vector<float> in = sine(1000, db_to_gain(-20), 0.5);
        append(in, sine(1000, db_to_gain(-35), 2.0));
        const auto out = run(chain_of({s}), in);
        CHECK(db(rms(out, 72000) / rms(in, 72000)) == Approx(0).margin(0.1));  // opened, and stays open
    }
    SECTION("a level on the threshold does not make it chatter") {
        const auto level = noise(db_to_gain(-33.0), 4.0, 9);
        const auto out = run(chain_of({s}), level);
        int crossings = 0;
        bool open = false;
        for (size_t i = 4800; i + 480 < out.size(); i += 480) {
            const bool now = rms(out, i, 480) > 0.5 * rms(level, i, 480);
            crossings += now != open ? 1 : 0;
            open = now;
        }
        CHECK(crossings <= 2);
    }
    SECTION("a closing threshold above the opening one closes where the gate opens, and does not flutter") {
        StageSpec equal = s, above = s;
        equal.set("close_threshold", -30);
        above.set("close_threshold", -10);
        const auto level = noise(db_to_gain(-27.0), 2.0, 9);
        const bool same = run(chain_of({above}), level) == run(chain_of({equal}), level);
        CHECK(same);
        CHECK(rms(run(chain_of({above}), level), 48000) > 0.9 * rms(level, 48000));
    }
    SECTION("look-ahead lets the beginning of a word through") {
        StageSpec ahead = s;
        ahead.set("attack", 1);
        const auto beginning = [](const StageSpec& g) {
            std::vector<float> in = silence(0.5);
            append(in, sine(800, 0.3, 0.3));
            return rms(run(chain_of({g}), in), 24000, 48);  // the first millisecond
        };
        const double without = beginning(ahead);
        ahead.set("lookahead", 6);
        CHECK(beginning(ahead) > 0.95 * rms(sine(800, 0.3, 0.3), 0, 48));
        CHECK(without < 0.6 * beginning(ahead));
    }
    SECTION("a desk knock does not open it when it listens above it") {
        StageSpec deaf = s;
        deaf.set("detector_low_cut", 300);
        const auto knock = sine(60, db_to_gain(-20), 0.3);
        CHECK(db(rms(run(chain_of({s}), knock), 7200) / rms(knock, 7200)) > -3.0);
        CHECK(db(rms(run(chain_of({deaf}), knock), 7200) / rms(knock, 7200)) < -35.0);
    }
}

TEST_CASE("the gate's reduction is the deepest of each piece, however fast it opens", "[reference][gate]") {
    const StageSpec s = stage("gate", {{"open_threshold", -30},
                                       {"close_threshold", -40},
                                       {"attack", 0.1},
                                       {"range", -40},
                                       {"lookahead", 0}});
    // A low step up: what comes out over what goes in is the gain, sample by sample. It opens in any part of
    // a piece.
    for (size_t start = 24000; start < 24480; start += 15) {
        std::vector<float> in(start, 0.001f);
        in.resize(28800, 0.3f);
        auto built = Chain::build(chain_of({s}), {48000, 1});
        Chain* chain = built.value().get();
        TapQueue taps(1024);
        chain->set_tap_queue(&taps);
        AudioBuffer work = mono(in);
        chain->process(work.block(0, 28800));
        for (TapFrame f; taps.try_dequeue(f);) {
            if (f.tap != 1 || f.index < 45) continue;
            double lowest = 1.0;
            for (auto i = static_cast<size_t>(f.index) * 480; i < static_cast<size_t>(f.index + 1) * 480; ++i)
                lowest = std::min(lowest, static_cast<double>(work[0][i]) / in[i]);
            INFO("opens from " << start << ", piece " << f.index);
            REQUIRE(f.reduction_db == Approx(-db(lowest)).margin(0.1));
        }
    }
}

TEST_CASE("no sample passes the limiter's ceiling, whatever comes", "[reference][limiter][figures]") {
    std::vector<std::vector<float>> hostile;
    hostile.push_back(noise(1.0, 1.0, 1));
    hostile.push_back(std::vector<float>(48000, 1.0f));
    std::vector<float> steps;
    for (int i = 0; i < 100; ++i)
        append(steps, std::vector<float>(static_cast<size_t>(37 * (1 + i % 13)), i % 2 == 0 ? 1.0f : -8.0f));
    hostile.push_back(steps);
    std::vector<float> bursts = silence(2.0);
    for (size_t i = 1000; i + 8 < bursts.size(); i += 1024) {  // at the edges of blocks
        for (size_t k = 0; k < 8; ++k) bursts[i + k] = k % 2 == 0 ? 30.0f : -30.0f;
    }
    hostile.push_back(bursts);
    hostile.push_back(sine(11999, 50.0, 1.0));
    for (const double true_peak : {0.0, 1.0}) {
        for (const double ceiling : {-24.0, -6.0, -1.0, 0.0}) {
            for (const double lookahead : {0.5, 1.5, 10.0}) {
                const StageSpec s = stage(
                    "limiter", {{"ceiling", ceiling}, {"lookahead", lookahead}, {"true_peak", true_peak}});
                for (const auto& x : hostile) {
                    for (const int block : {64, 1000}) {
                        REQUIRE(peak(run(chain_of({s}), x, 48000, block)) <=
                                static_cast<float>(db_to_gain(ceiling)));
                    }
                }
            }
        }
    }
}

TEST_CASE("sound below the ceiling passes the limiter unchanged", "[reference][limiter]") {
    const auto x = sine(997, 0.4, 1.0);
    CHECK(largest_difference(run(chain_of({stage("limiter", {{"ceiling", -6}})}), x), x) < 1e-6);
}

TEST_CASE("peaks between the samples are held within a tenth of a decibel", "[reference][limiter]") {
    std::vector<std::vector<float>> signals;
    // The phases of EBU Tech 3341, table 1, cases 15 to 19.
    signals.push_back(sine(12000, 1.0, 0.5));
    signals.push_back(sine(12000, 1.41, 0.5, 48000, M_PI / 4));
    signals.push_back(sine(8000, 1.0, 0.5, 48000, M_PI / 3));
    signals.push_back(sine(6000, 1.0, 0.5, 48000, 67.5 * M_PI / 180));
    signals.push_back(noise(0.7, 2.0, 4));
    signals.push_back(dull_noise(0.7, 3000, 2.0, 5));
    signals.push_back(sine(997, 2.0, 1.0));
    auto words = spoken_words();
    for (auto& w : words) w *= 6.0f;
    signals.push_back(words);
    for (const double ceiling : {-1.0, -3.0, -9.0}) {
        for (size_t i = 0; i < signals.size(); ++i) {
            const auto out = run(chain_of({stage("limiter", {{"ceiling", ceiling}})}), signals[i]);
            INFO("signal " << i << " ceiling " << ceiling);
            CHECK(reference_true_peak(out) <= ceiling + 0.1);
        }
    }
}

namespace {

/// The highest magnitude between the samples, by eightfold interpolation (Hann-windowed sinc of 64 samples).
double peak_between(const std::vector<float>& x) {
    constexpr int kPhases = 8, kHalf = 32;
    double out = 0.0;
    for (int phase = 0; phase < kPhases; ++phase) {
        double taps[2 * kHalf];
        for (int k = 0; k < 2 * kHalf; ++k) {
            const double t = k - kHalf + 1 - static_cast<double>(phase) / kPhases;
            const double sinc = std::abs(t) < 1e-9 ? 1.0 : std::sin(M_PI * t) / (M_PI * t);
            taps[k] = sinc * (0.5 + 0.5 * std::cos(M_PI * t / kHalf));
        }
        for (size_t i = kHalf; i + kHalf < x.size(); ++i) {
            double sum = 0.0;
            for (int k = 0; k < 2 * kHalf; ++k) sum += taps[k] * x[i + static_cast<size_t>(k) + 1 - kHalf];
            out = std::max(out, std::abs(sum));
        }
    }
    return out;
}

}  // namespace

TEST_CASE("what eightfold interpolation finds above the limiter's ceiling", "[reference][limiter][figures]") {
    // The standard's fourfold interpolation (ITU-R BS.1770-4, Annex 2), by which the limiter works, misses a
    // part of peaks near half the sample rate. docs/signal-maths.md tells these figures.
    constexpr double kCeiling = -1.0;
    const auto over = [&](const std::vector<float>& x) {
        return db(peak_between(run(chain_of({stage("limiter", {{"ceiling", kCeiling}})}), x))) - kCeiling;
    };
    std::vector<float> bursts = silence(0.1);
    for (std::uint32_t n = 0; n < 8; ++n) {
        append(bursts, noise(1.5, 0.1, 20 + n));
        append(bursts, silence(0.1));
    }
    const double white = over(bursts);
    ChainSpec low =
        chain_of({stage("equalizer", {{"band1_on", 1}, {"band1_type", 4}, {"band1_frequency", 15000}})});
    const double below_15k = over(run(low, noise(1.5, 1.5, 3)));
    auto words = spoken_words(1);
    for (float& v : words) v *= 6.0f;
    const double speech = over(words);
    INFO("white bursts " << white << " dB over, noise below 15 kHz " << below_15k << ", words " << speech);
    CHECK(white < 1.6);
    CHECK(below_15k < 0.5);
    CHECK(speech < 0.1);
}

TEST_CASE("a single click does not pump: the limiter lets go within a fifth of its release",
          "[reference][limiter]") {
    std::vector<float> in = sine(500, 0.3, 1.0);
    for (size_t i = 24000; i < 24010; ++i) in[i] = 3.0f;
    const StageSpec s = stage("limiter", {{"ceiling", -6}, {"release", 200}});
    const auto out = run(chain_of({s}), in);
    CHECK(db(rms(out, 24000 + 5760, 960) / rms(in, 24000 + 5760, 960)) > -2.0);  // 120 ms later
    // After half a second of overload the release is the slow one.
    std::vector<float> loud = sine(500, 2.0, 0.5);
    append(loud, sine(500, 0.3, 1.0));
    const auto after = run(chain_of({s}), loud);
    CHECK(db(rms(after, 24000 + 3840, 960) / 0.2121) < -4.0);  // 80 ms later still well down
}

TEST_CASE("the curves that are drawn are the curves that sound", "[dynamics]") {
    // Steady tones through the running stage against StageKind::transfer.
    struct Case {
        const char* kind;
        std::vector<std::pair<std::string, double>> values;
        std::vector<double> levels;
    };
    const Case cases[] = {
        {"compressor", {{"threshold", -30}, {"ratio", 2.5}, {"knee", 0}}, {-40, -30, -10, -4}},
        {"compressor",
         {{"threshold", -30}, {"ratio", 3}, {"knee", 12}, {"makeup", 5}, {"mix", 60}},
         {-40, -30, -20}},
        {"expander", {{"threshold", -40}, {"ratio", 2}, {"knee", 6}, {"range", -20}}, {-30, -41, -50, -70}},
        {"gate", {{"open_threshold", -40}, {"close_threshold", -50}, {"range", -18}}, {-30, -46, -60}},
        {"limiter", {{"ceiling", -6}, {"true_peak", 0}}, {-20, -6, -1}},
    };
    for (const Case& c : cases) {
        const StageSpec s = stage(c.kind, c.values);
        for (const double level : c.levels) {
            const auto out = run(chain_of({s}), sine(997, std::pow(10.0, level / 20.0), 3.0));
            const double heard = db(rms(out, 96000) * std::sqrt(2.0));
            INFO(c.kind << " " << level);
            CHECK(s.stage_kind().transfer(s.values, level, true) == Approx(heard).margin(0.15));
        }
    }
    const StageSpec gate = stage("gate", {{"open_threshold", -40}, {"close_threshold", -50}, {"range", -18}});
    CHECK(gate.stage_kind().transfer(gate.values, -46, false) == -46.0);  // still open while falling
    const StageSpec hard = stage("compressor", {{"threshold", -30}, {"ratio", 2.5}, {"knee", 0}});
    CHECK(hard.stage_kind().transfer(hard.values, -10, true) == Approx(-22.0));
    CHECK(stage("equalizer").stage_kind().transfer == nullptr);
}
