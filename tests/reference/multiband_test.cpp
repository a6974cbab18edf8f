// Multiband compressor: its ranges add up to the sound, and each holds only what is in it.
#include <catch2/catch.hpp>
#include <cmath>
#include <complex>

#include "base/decibel.h"
#include "chain/chain.h"
#include "stages/multiband.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

using Changes = std::vector<std::pair<std::string, double>>;

/// A multiband that holds nothing, and changes to it.
StageSpec ranges(Changes changes) {
    Changes all;
    for (int r = 1; r <= kMaxMultibandBands; ++r) all.emplace_back("range" + std::to_string(r) + "_ratio", 1);
    all.insert(all.end(), changes.begin(), changes.end());
    return stage("multiband", all);
}

/// Magnitude at `frequency` of what the chain makes of an impulse, in dB.
double response(const std::vector<float>& impulse_response, double frequency, double rate) {
    std::complex<double> h = 0.0;
    for (size_t n = 0; n < impulse_response.size(); ++n)
        h += static_cast<double>(impulse_response[n]) *
             std::polar(1.0, -2.0 * M_PI * frequency * static_cast<double>(n) / rate);
    return db(std::abs(h));
}

std::vector<float> impulse(double rate) {
    std::vector<float> x(static_cast<size_t>(rate / 2));
    x[0] = 0.5f;
    return x;
}

double change_at(const std::vector<float>& x, const std::vector<float>& y, double frequency,
                 double rate = 48000) {
    const size_t first = x.size() - static_cast<size_t>(rate / 2);
    return db(tone_amplitude(y, frequency, rate, first) / tone_amplitude(x, frequency, rate, first));
}

}  // namespace

TEST_CASE("ranges that hold nothing add up to the sound within 0.1 dB, at every rate",
          "[reference][figures]") {
    for (const double rate : {44100.0, 48000.0, 96000.0, 192000.0}) {
        for (const double count : {0.0, 1.0, 2.0}) {
            for (const auto& meets : {std::array{220.0, 3000.0, 7500.0}, std::array{300.0, 380.0, 480.0},
                                      std::array{100.0, 130.0, 16000.0}}) {
                const auto y = run(chain_of({ranges({{"ranges", count},
                                                     {"meets1", meets[0]},
                                                     {"meets2", meets[1]},
                                                     {"meets3", meets[2]}})}),
                                   impulse(rate), rate);
                for (double f = 30.0; f < 18000.0; f *= 1.3) {
                    INFO(2 + count << " ranges at " << f << " Hz, " << rate);
                    CHECK(response(y, f, rate) - db(0.5) == Approx(0.0).margin(0.1));
                }
            }
        }
    }
}

TEST_CASE("a range alone has the slopes of Linkwitz and Riley", "[reference]") {
    // JAES 24 (1), 1976: both sides -6 dB where they meet, |H| = 1 / (1 + (f/f0)^4) below and the mirror
    // above.
    for (const auto& [listen, low, high] :
         {std::tuple{1.0, 0.0, 500.0}, std::tuple{2.0, 500.0, 4000.0}, std::tuple{3.0, 4000.0, 1e9}}) {
        // Heard as it comes in, whatever it holds.
        const auto y = run(chain_of({ranges({{"meets1", 500},
                                             {"meets2", 4000},
                                             {"range2_ratio", 20},
                                             {"range2_threshold", -80},
                                             {"range2_gain", -12},
                                             {"listen", listen}})}),
                           impulse(192000), 192000);
        for (const double f : {100.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0}) {
            const double below = 1.0 / (1.0 + std::pow(f / high, 4));
            double above = low > 0.0 ? 1.0 / (1.0 + std::pow(low / f, 4)) : 1.0;
            if (listen == 3.0) above /= 1.0 + std::pow(500.0 / f, 4);  // it went past the other meeting too
            INFO("range " << listen << " at " << f);
            // What a float holds no more is no matter.
            const double wanted = std::max(db(below * above), -110.0);
            CHECK(std::max(response(y, f, 192000) - db(0.5), -110.0) == Approx(wanted).margin(0.35));
        }
    }
}

TEST_CASE("each range is held by the tutorial's curve, and by what is in it alone", "[reference]") {
    // JAES 60 (6), 2012, eq. 4 with a knee of 6 dB: 3:1 over -30 dBFS.
    const auto curve = [](double level) {
        const double over = level + 30.0;
        if (over <= -3.0) return 0.0;
        if (over >= 3.0) return (1.0 / 3.0 - 1.0) * over;
        return (1.0 / 3.0 - 1.0) * (over + 3.0) * (over + 3.0) / 12.0;
    };
    for (const auto& [range, frequency] :
         {std::pair{"range1", 60.0}, std::pair{"range2", 800.0}, std::pair{"range3", 12000.0}}) {
        const std::string name = range;
        for (const double level : {-40.0, -31.0, -29.0, -20.0, -6.0}) {
            const auto x = sine(frequency, db_to_gain(level), 2.0);
            const auto held = ranges({{name + "_ratio", 3}, {name + "_threshold", -30}, {name + "_gain", 2}});
            INFO(name << " at " << level << " dBFS");
            CHECK(change_at(x, run(chain_of({held}), x), frequency) ==
                  Approx(curve(level) + 2.0).margin(0.45));
        }
    }
    // A boom is held and tells what it gives; what is above it hears nothing of it.
    const auto x = mix(sine(60, db_to_gain(-10), 3.0), sine(1200, db_to_gain(-45), 3.0));
    auto built = Chain::build(chain_of({stage("multiband", {{"range1_ratio", 4}})}), {48000, 1});
    REQUIRE(built.ok());
    AudioBuffer b = mono(x);
    built.value()->process(b.block(0, static_cast<int>(b.frames())));
    CHECK(change_at(x, b[0], 60) == Approx(-15.0).margin(0.6));
    CHECK(change_at(x, b[0], 1200) == Approx(0.0).margin(0.1));
    const auto told = built.value()->readouts(0);
    REQUIRE(told.size() == 2 * kMaxMultibandBands);
    CHECK(static_cast<double>(told[0]) == Approx(-10.0).margin(0.5));
    CHECK(static_cast<double>(told[1]) == Approx(15.0).margin(0.5));
    CHECK(static_cast<double>(told[3]) == Approx(0.0).margin(0.05));
    // Of two channels the louder one counts, on both sides.
    for (const bool left : {false, true}) {
        auto two = Chain::build(chain_of({ranges({{"range2_ratio", 20}})}), {48000, 2});
        REQUIRE(two.ok());
        const auto loud = sine(800, db_to_gain(-10), 2.0);
        const auto faint = sine(800, db_to_gain(-50), 2.0);
        AudioBuffer both = left ? stereo(loud, faint) : stereo(faint, loud);
        two.value()->process(both.block(0, static_cast<int>(both.frames())));
        CHECK(change_at(left ? loud : faint, both[0], 800) == Approx(-19.0).margin(1.0));
        CHECK(change_at(left ? faint : loud, both[1], 800) == Approx(-19.0).margin(1.0));
    }
}

TEST_CASE("ranges meet in order, whatever the table says, and move there without a click", "[reference]") {
    const auto wrong = ranges({{"ranges", 2}, {"meets1", 8000}, {"meets2", 300}, {"meets3", 100}});
    const auto meets = crossover_frequencies(wrong.values);
    CHECK(meets[0] == 8000.0);
    CHECK(meets[1] == Approx(8000.0 * 1.26));
    CHECK(meets[2] == Approx(8000.0 * 1.26 * 1.26));
    const auto x = sine(1000, 0.25, 2.0);
    auto built = Chain::build(chain_of({ranges({{"ranges", 2}})}), {48000, 1});
    REQUIRE(built.ok());
    AudioBuffer b = mono(x);
    built.value()->process(b.block(0, 24000));
    built.value()->post(chain_of({wrong}));
    built.value()->process(b.block(24000, 36000));
    built.value()->post(chain_of({ranges({{"ranges", 2}, {"listen", 2}})}));
    built.value()->process(b.block(60000, 36000));
    double steepest = 0.0;
    for (size_t i = 1000; i + 2 < 96000; ++i)
        steepest = std::max(steepest,
                            std::abs(static_cast<double>(b[0][i]) - 2.0 * static_cast<double>(b[0][i + 1]) +
                                     static_cast<double>(b[0][i + 2])));
    // They are there: what was range 2 is range 1 when that one ends at 8 kHz.
    built.value()->post(chain_of({ranges({{"ranges", 2}, {"meets1", 8000}, {"listen", 1}})}));
    AudioBuffer low = mono(x);
    built.value()->process(low.block(0, static_cast<int>(low.frames())));
    CHECK(change_at(x, low[0], 1000) == Approx(0.0).margin(0.1));
    const double own = 0.25 * std::pow(2.0 * M_PI * 1000.0 / 48000.0, 2);
    CHECK(steepest < 1.35 * own);
}
