// Equalizer bands that move by themselves: where to, how fast, and what they leave alone.
#include <catch2/catch.hpp>
#include <cmath>

#include "base/decibel.h"
#include "chain/chain.h"
#include "stages/equalizer.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Band 2 alone, a bell of 0 dB at 1 kHz with Q 1.5 at rest, and changes to it.
StageSpec one_band(std::vector<std::pair<std::string, double>> changes) {
    std::vector<std::pair<std::string, double>> all{
        {"band1_on", 0},           {"band3_on", 0},  {"band4_on", 0},    {"band5_on", 0},
        {"band2_frequency", 1000}, {"band2_q", 1.5}, {"band2_depth", 24}};
    all.insert(all.end(), changes.begin(), changes.end());
    return stage("equalizer", all);
}
constexpr double kTames = 1.0, kLifts = 2.0;

/// A tone of `level` dBFS (AES17: a full-scale sine is 0).
std::vector<float> tone(double frequency, double level, double seconds, double rate = 48000) {
    return sine(frequency, db_to_gain(level), seconds, rate);
}

/// What the last half second of `y` has over `x` at `frequency`, in dB.
double change_at(const std::vector<float>& x, const std::vector<float>& y, double frequency,
                 double rate = 48000) {
    const size_t first = x.size() - static_cast<size_t>(rate / 2);
    return db(tone_amplitude(y, frequency, rate, first) / tone_amplitude(x, frequency, rate, first));
}

/// Running level of `x` in dBFS at frame `at`, over `length` frames.
double level_at(const std::vector<float>& x, size_t at, size_t length) {
    return db(rms(x, at, length)) + db(std::sqrt(2.0));
}

}  // namespace

TEST_CASE("a band that tames goes down by the tutorial's curve, and no farther than asked", "[stages]") {
    // D. Giannoulis et al., JAES 60 (6), 2012, eq. 1 without a knee: over the threshold 1 dB in is 1/R out.
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const char* type : {"bell", "low_shelf", "high_shelf"}) {
            for (const double level : {-40.0, -26.0, -14.0, -4.0}) {
                // A shelf's own range begins at its frequency; well within it.
                const std::string name = type;
                const double f = name == "bell" ? 1000 : (name == "low_shelf" ? 150 : 6000);
                const auto x = tone(f, level, 2.0, rate);
                const double shape = name == "bell" ? 0 : (name == "low_shelf" ? 1 : 2);
                const auto y = run(chain_of({one_band({{"band2_type", shape},
                                                       {"band2_q", 0.71},
                                                       {"band2_moves", kTames},
                                                       {"band2_threshold", -30},
                                                       {"band2_ratio", 4},
                                                       {"band2_depth", 15}})}),
                                   x, rate);
                const double wanted = -std::min(15.0, 0.75 * std::max(0.0, level + 30.0));
                INFO(name << " at " << level << " dBFS, " << rate << " Hz");
                CHECK(change_at(x, y, f, rate) == Approx(wanted).margin(0.45));
            }
        }
    }
}

TEST_CASE("a band that lifts brings up what is faint, and lets pauses be", "[stages]") {
    const std::vector<std::pair<std::string, double>> lifts{
        {"band2_moves", kLifts}, {"band2_threshold", -30}, {"band2_ratio", 2}, {"band2_depth", 8}};
    // Level and what it should gain: half of what is missing, at most 8; from 20 dB under the threshold on
    // ever less, from 40 on nothing.
    const std::pair<double, double> wanted[] = {{-20, 0}, {-30, 0}, {-36, 3}, {-44, 7},
                                                {-48, 8}, {-60, 4}, {-65, 2}, {-75, 0}};
    for (const auto& [level, gain] : wanted) {
        const auto x = tone(1000, level, 2.0);
        INFO(level << " dBFS");
        CHECK(change_at(x, run(chain_of({one_band(lifts)}), x), 1000) == Approx(gain).margin(0.35));
    }
}

TEST_CASE("a band moves and returns in the times it is given", "[stages]") {
    for (const double attack : {40.0, 150.0}) {
        const double release = 3.0 * attack;
        // Loud for a second between two seconds of faint.
        auto x = tone(1000, -50, 1.0);
        append(x, tone(1000, -14, 1.5));
        append(x, tone(1000, -50, 2.0));
        const auto y = run(chain_of({one_band({{"band2_moves", kTames},
                                               {"band2_threshold", -30},
                                               {"band2_ratio", 20},
                                               {"band2_attack", attack},
                                               {"band2_release", release}})}),
                           x);
        const auto moved = [&](double seconds) {
            const auto at = static_cast<size_t>(seconds * 48000);
            return level_at(y, at, 480) - level_at(x, at, 480);
        };
        const double full = -0.95 * 16.0;
        INFO("attack " << attack);
        CHECK(moved(2.4) == Approx(full).margin(0.4));
        // 63 % of the way (tutorial, sec. 2.2), within the 2 ms in which its level is measured and the 10 ms
        // in which we look.
        CHECK(moved(1.0 + (attack - 5.0) / 1000.0) == Approx(0.632 * full).margin(0.9));
        CHECK(moved(2.5 + (release + 5.0) / 1000.0) == Approx(0.368 * full).margin(0.9));
        CHECK(moved(4.4) == Approx(0.0).margin(0.3));
    }
}

TEST_CASE("brightness is lifted except on s", "[stages]") {
    // The use it is made for: a shelf lifts by 5 dB, and comes down where its range alone is loud.
    const StageSpec bright = one_band({{"band2_type", 2},
                                       {"band2_frequency", 5000},
                                       {"band2_q", 0.71},
                                       {"band2_gain", 5},
                                       {"band2_moves", kTames},
                                       {"band2_threshold", -36},
                                       {"band2_ratio", 3},
                                       {"band2_attack", 5},
                                       {"band2_release", 60}});
    const auto vowel = mix(tone(200, -20, 1.0), tone(7000, -50, 1.0));
    CHECK(change_at(vowel, run(chain_of({bright}), vowel), 7000) == Approx(4.3).margin(0.8));
    auto words = vowel;
    append(words, mix(tone(7000, -18, 0.15), tone(200, -50, 0.15)));
    append(words, vowel);
    const auto y = run(chain_of({bright}), words);
    const size_t in_s = 48000 + 2400;
    CHECK(level_at(y, in_s, 4000) - level_at(words, in_s, 4000) < -5.0);
    // Loud vowels do not push it: what moves it is its own range.
    const auto loud = mix(tone(200, -6, 1.0), tone(7000, -50, 1.0));
    CHECK(change_at(loud, run(chain_of({bright}), loud), 7000) == Approx(4.3).margin(0.8));
}

TEST_CASE("the response of a band that has moved is the one that is told", "[stages]") {
    const StageSpec spec = one_band({{"band2_gain", 6},
                                     {"band2_moves", kTames},
                                     {"band2_threshold", -40},
                                     {"band2_ratio", 10},
                                     {"band2_attack", 50},
                                     {"band2_release", 500}});
    for (const double pilot : {300.0, 800.0, 1500.0, 6000.0}) {
        const auto x = mix(tone(1000, -20, 3.0), tone(pilot, -70, 3.0));
        auto built = Chain::build(chain_of({spec}), {48000, 1});
        AudioBuffer b = mono(x);
        built.value()->process(b.block(0, static_cast<int>(b.frames())));
        const double level = static_cast<double>(built.value()->readouts(0).at(2));
        const double moved = static_cast<double>(built.value()->readouts(0).at(3));
        CHECK(level == Approx(-20.0).margin(0.5));
        CHECK(moved == Approx(-18.0).margin(0.5));
        INFO("at " << pilot);
        const double told = equalizer_response_db(spec.values, pilot, 48000) +
                            band_motion_response_db(band_settings(spec.values, 1), moved, pilot, 48000);
        CHECK(change_at(x, b[0], pilot) == Approx(told).margin(0.3));
    }
}

TEST_CASE("a shelf that has moved has the response that is told, and a band takes its movement along",
          "[stages]") {
    for (const auto& [type, frequency, pilot] :
         {std::tuple{1.0, 120.0, 400.0}, std::tuple{1.0, 120.0, 200.0}, std::tuple{2.0, 6000.0, 3500.0}}) {
        const StageSpec spec = one_band({{"band2_type", type},
                                         {"band2_frequency", type == 1.0 ? 300 : 4000},
                                         {"band2_q", 0.71},
                                         {"band2_moves", kTames},
                                         {"band2_threshold", -60},
                                         {"band2_ratio", 20},
                                         {"band2_depth", 15}});
        const auto x = mix(tone(frequency, -10, 3.0), tone(pilot, -70, 3.0));
        INFO("type " << type << " at " << pilot);
        const double told = band_motion_response_db(band_settings(spec.values, 1), -15, pilot, 48000);
        CHECK(change_at(x, run(chain_of({spec}), x), pilot) == Approx(told).margin(0.2));
    }
    // As far down as it goes all the while: what it does comes along to another frequency.
    const std::vector<std::pair<std::string, double>> held{{"band2_moves", kTames},
                                                           {"band2_threshold", -80},
                                                           {"band2_ratio", 20},
                                                           {"band2_depth", 12},
                                                           {"band2_q", 4}};
    auto moved = held;
    moved.emplace_back("band2_frequency", 3000);
    const auto x = mix(tone(1000, -12, 4.0), tone(3000, -12, 4.0));
    auto built = Chain::build(chain_of({one_band(held)}), {48000, 1});
    REQUIRE(built.ok());
    AudioBuffer b = mono(x);
    built.value()->process(b.block(0, 96000));
    built.value()->post(chain_of({one_band(moved)}));
    built.value()->process(b.block(96000, 96000));
    CHECK(change_at(x, b[0], 3000) == Approx(-12.0).margin(0.3));
    CHECK(change_at(x, b[0], 1000) == Approx(0.0).margin(0.3));
}

TEST_CASE("of two channels the louder one moves a band, on both sides alike", "[stages]") {
    const auto spec = one_band({{"band2_moves", kTames}, {"band2_threshold", -30}, {"band2_ratio", 20}});
    for (const bool left : {false, true}) {
        auto built = Chain::build(chain_of({spec}), {48000, 2});
        REQUIRE(built.ok());
        const auto loud = tone(1000, -10, 2.0);
        const auto faint = tone(1000, -50, 2.0);
        AudioBuffer b = left ? stereo(loud, faint) : stereo(faint, loud);
        built.value()->process(b.block(0, static_cast<int>(b.frames())));
        CHECK(change_at(left ? loud : faint, b[0], 1000) == Approx(-19.0).margin(0.4));
        CHECK(change_at(left ? faint : loud, b[1], 1000) == Approx(-19.0).margin(0.4));
    }
}

TEST_CASE("at rest a band that may move is the band itself, to the bit", "[stages]") {
    const auto x = mix(tone(300, -30, 1.0), noise(0.01, 1.0, 4));
    const std::vector<std::pair<std::string, double>> at_rest{{"band2_gain", -4}, {"band4_on", 1}};
    auto moves = at_rest;
    moves.insert(moves.end(), {{"band2_moves", kTames}, {"band2_threshold", 0}});
    CHECK((run(chain_of({one_band(moves)}), x) == run(chain_of({one_band(at_rest)}), x)));
    // A cut has no gain to move.
    std::vector<std::pair<std::string, double>> cut{{"band2_type", 3}, {"band2_slope", 3}};
    auto told = cut;
    told.insert(told.end(), {{"band2_moves", kTames}, {"band2_threshold", -80}});
    CHECK((run(chain_of({one_band(told)}), x) == run(chain_of({one_band(cut)}), x)));
}

TEST_CASE("a band is told to move, to stay, and to be another shape without a click", "[stages]") {
    const auto x = tone(1000, -12, 3.0);
    auto built = Chain::build(chain_of({one_band({})}), {48000, 1});
    REQUIRE(built.ok());
    Chain& chain = *built.value();
    AudioBuffer b = mono(x);
    const std::vector<StageSpec> steps{
        one_band({}),
        one_band({{"band2_moves", kTames}, {"band2_ratio", 20}}),
        one_band({{"band2_moves", kTames}, {"band2_ratio", 20}, {"band2_frequency", 3000}}),
        one_band({{"band2_moves", kLifts}, {"band2_ratio", 20}}),
        one_band({{"band2_moves", kTames}, {"band2_type", 2}}),
        one_band({{"band2_moves", kTames}, {"band2_on", 0}}),
    };
    constexpr size_t kPiece = 22400;
    for (size_t i = 0; i < steps.size(); ++i) {
        chain.post(chain_of({steps[i]}));
        chain.process(b.block(i * kPiece, static_cast<int>(kPiece)));
    }
    // A click is a step in the sound's curvature: that of the tone, and a quarter of it more.
    double steepest = 0.0;
    const auto curve = [](const std::vector<float>& s, size_t i) {
        return std::abs(static_cast<double>(s[i]) - 2.0 * static_cast<double>(s[i + 1]) +
                        static_cast<double>(s[i + 2]));
    };
    for (size_t i = 2; i + 2 < steps.size() * kPiece; ++i) steepest = std::max(steepest, curve(b[0], i));
    double own = 0.0;
    for (size_t i = 2; i + 2 < x.size(); ++i) own = std::max(own, curve(x, i));
    CHECK(steepest < 1.25 * own);
    // Switched off, all is as it came in.
    const size_t end = steps.size() * kPiece;
    double left = 0.0;
    for (size_t i = end - 4800; i < end; ++i)
        left = std::max(left, std::abs(static_cast<double>(b[0][i]) - static_cast<double>(x[i])));
    CHECK(left < 1e-6);
}
