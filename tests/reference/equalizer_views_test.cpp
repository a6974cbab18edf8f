// Octave sliders, listening to one band, phase and ducking.
#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/decibel.h"
#include "stages/equalizer.h"
#include "stages/graphic_eq.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {
/// Response of the ten octave bands alone, as sine tones through the running stage would show it.
double octaves_db(std::vector<double> values, double f, double rate) {
    for (int b = 0; b < kFirstOctaveBand; ++b) values[static_cast<size_t>(b * kBandParameters)] = 0.0;
    return equalizer_response_db(values, f, rate);
}
}  // namespace

TEST_CASE("octave sliders stand at the exact mid-band frequencies", "[reference][octaves]") {
    // IEC 61260-1:2014, 5.2 to 5.4: 1 kHz times powers of the octave ratio 10^0.3.
    const double exact[] = {31.623, 63.096, 125.89, 251.19, 501.19, 1000.0, 1995.3, 3981.1, 7943.3, 15849.0};
    for (int i = 0; i < kOctaves; ++i) CHECK(octave_frequency(i) == Approx(exact[i]).epsilon(1e-4));
}

TEST_CASE("the response passes within 0.5 dB of every octave slider", "[reference][octaves][figures]") {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> level(-kOctaveRange, kOctaveRange);
    double worst = 0.0;
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (int round = 0; round < 120; ++round) {
            GraphicEqGains wanted{};
            for (auto& w : wanted) w = level(random);
            if (round == 0) wanted.fill(12.0);
            if (round == 1) wanted.fill(-12.0);
            if (round == 2) wanted = {6, -6, 6, -6, 6, -6, 6, -6, 6, -6};
            if (round == 3) wanted.fill(0.0);
            if (round == 4) wanted = {0, 0, 0, 0, 12, 0, 0, 0, 0, 0};
            // Random patterns within what bells of 24 dB can follow: neighbours at most 12 dB apart.
            for (size_t k = 1; round > 4 && k < wanted.size(); ++k) {
                wanted[k] = std::clamp(wanted[k], wanted[k - 1] - 12.0, wanted[k - 1] + 12.0);
            }
            std::vector<double> values = default_values(kEqualizerStage);
            set_graphic_eq(values, wanted, rate);
            for (size_t i = 0; i < values.size(); ++i)
                REQUIRE_FALSE(value_problem(kEqualizerStage.parameters[i], values[i]));
            for (int i = 0; i < kOctaves; ++i) {
                const double error =
                    std::abs(octaves_db(values, octave_frequency(i), rate) - wanted[static_cast<size_t>(i)]);
                worst = std::max(worst, error);
                INFO("round " << round << " slider " << i << " rate " << rate);
                CHECK(error < 0.5);
            }
            const auto read = graphic_eq_gains(values, rate);
            REQUIRE(read);
            for (int i = 0; i < kOctaves; ++i)
                CHECK((*read)[static_cast<size_t>(i)] == Approx(wanted[static_cast<size_t>(i)]).margin(0.5));
        }
    }
    UNSCOPED_INFO("largest error " << worst);
    CHECK(worst < 0.5);
}

TEST_CASE("octave sliders leave the curve's own bands alone and tell when theirs are taken",
          "[reference][octaves]") {
    std::vector<double> values = default_values(kEqualizerStage);
    const std::vector<double> before(values.begin(), values.begin() + kFirstOctaveBand * kBandParameters);
    CHECK(graphic_eq_gains(values, 48000).value() == GraphicEqGains{});
    set_graphic_eq(values, {1, 2, 3, 4, 5, 4, 3, 2, 1, 0}, 48000);
    CHECK(std::vector<double>(values.begin(), values.begin() + kFirstOctaveBand * kBandParameters) == before);
    values[static_cast<size_t>(8 * kBandParameters + kBandFrequency)] = 3000;
    CHECK_FALSE(graphic_eq_gains(values, 48000));
}

TEST_CASE("listening to a band lets only its range through", "[reference][listen]") {
    const auto heard = [](double band, double frequency) {
        const StageSpec eq = stage(
            "equalizer", {{"listen", band}, {"band3_frequency", 1000}, {"band3_q", 4}, {"band3_gain", 6}});
        const auto out = run(chain_of({eq}), sine(frequency, 0.1, 1.0));
        return db(tone_amplitude(out, frequency, 48000, 24000) / 0.1);
    };
    CHECK(heard(3, 1000) == Approx(0.0).margin(0.2));
    CHECK(heard(3, 100) < -25.0);
    CHECK(heard(3, 10000) < -25.0);
    CHECK(heard(1, 30) == Approx(0.0).margin(1.0));  // a low cut: what it takes away
    CHECK(heard(1, 2000) < -25.0);
    CHECK(heard(5, 15000) == Approx(0.0).margin(1.0));  // a high shelf: the top
    CHECK(heard(5, 500) < -25.0);
    CHECK(heard(0, 100) > -3.0);
}

TEST_CASE("phase follows the prototype in the voice's range", "[reference][filter]") {
    double worst = 0.0;
    for (const auto type :
         {FilterType::bell, FilterType::low_shelf, FilterType::high_shelf, FilterType::low_cut}) {
        for (const double f0 : {80.0, 300.0, 1000.0, 3000.0}) {
            for (const double gain : {-12.0, -4.0, 4.0, 12.0}) {
                const BandSettings b{type, f0, gain, 0.7071, 12};
                const Sections digital = design(b, 48000);
                const auto analogue = prototypes(b);
                for (double f = 40.0; f <= 4000.0; f *= 1.1) {
                    std::complex<double> wanted = 1.0;
                    for (const auto& p : analogue) wanted *= p.response(f);
                    const double degrees =
                        std::abs(std::arg(digital.response(f, 48000) / wanted)) * 180.0 / M_PI;
                    worst = std::max(worst, degrees);
                }
            }
        }
    }
    UNSCOPED_INFO("largest phase error " << worst << " degrees");
    CHECK(worst < 12.0);
}

TEST_CASE("the RMS window is as long as the attack, 3 to 10 ms: 63 % of a step in power",
          "[reference][compressor]") {
    // Attack far shorter than the window, so the window is what is seen: the level 3 ms after a step from
    // silence is 10 log10(0.632) = -2 dB of the final one, and with it the reduction at a ratio of 20:1.
    const StageSpec s = stage(
        "compressor",
        {{"threshold", -60}, {"ratio", 20}, {"knee", 0}, {"attack", 0.1}, {"release", 5}, {"detection", 1}});
    std::vector<float> in = silence(0.2);
    append(in, sine(6000, 0.5, 0.2));
    const auto out = run(chain_of({s}), in);
    const double final_reduction = -db(rms(out, 17000, 960) / rms(in, 17000, 960));
    const size_t at = 9600 + 144;
    const double then = -db(rms(out, at - 8, 16) / rms(in, at - 8, 16));
    CHECK(final_reduction - then == Approx(2.0 * 0.95).margin(0.4));
}

TEST_CASE("a side-chain pushes in place of the stage's own input", "[reference][compressor]") {
    const StageSpec spec = stage("compressor", {{"threshold", -40}, {"ratio", 10}, {"knee", 0}});
    const auto compressor = std::move(spec.stage_kind().make().value());
    compressor->prepare({48000, 1}, spec.values);
    auto programme = sine(500, 0.05, 1.0);
    const auto before = programme;
    const auto voice = sine(300, 0.5, 0.5);
    std::vector<float> side = silence(0.5);
    append(side, voice);
    AudioBuffer work = mono(programme);
    AudioBuffer key = mono(side);
    for (size_t i = 0; i < 48000; i += kSubBlock) {
        const AudioBlock piece = key.block(i, kSubBlock);
        compressor->set_side_chain(&piece);
        compressor->begin_sub_block();
        compressor->process(work.block(i, kSubBlock));
    }
    CHECK(rms(work[0], 12000, 9600) ==
          Approx(rms(before, 12000, 9600)).epsilon(0.001));       // the voice is silent
    CHECK(db(rms(work[0], 40000) / rms(before, 40000)) < -25.0);  // the voice speaks
}

TEST_CASE("listening to a band hears its range at every sample rate", "[equalizer]") {
    // Found missing: the filter was designed for 48 kHz whatever the rate was.
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        const auto chain = chain_of({stage(
            "equalizer",
            {{"band2_on", 1}, {"band2_type", 0}, {"band2_frequency", 2000}, {"band2_q", 8}, {"listen", 2}})});
        INFO(rate);
        const auto at = [&](double f) {
            return db(tone_amplitude(run(chain, sine(f, 0.1, 1.0, rate), rate), f, rate,
                                     static_cast<size_t>(rate / 2)) /
                      0.1);
        };
        CHECK(at(2000) == Approx(0.0).margin(0.3));
        CHECK(at(1000) < -15.0);
        CHECK(at(4000) < -15.0);
    }
}

TEST_CASE("the band that finds is raised, narrow, and never kept", "[equalizer]") {
    const StageSpec s =
        stage("equalizer", {{"find", 1}, {"find_frequency", 430}, {"find_gain", 9}, {"find_q", 8}});
    const auto at = [&](double f) {
        return db(tone_amplitude(run(chain_of({s}), sine(f, 0.1, 1.0)), f, 48000, 24000) / 0.1) -
               db(tone_amplitude(run(chain_of({stage("equalizer")}), sine(f, 0.1, 1.0)), f, 48000, 24000) /
                  0.1);
    };
    CHECK(at(430) == Approx(9.0).margin(0.1));
    CHECK(at(860) == Approx(0.0).margin(0.3));
    CHECK(without_transients(chain_of({s})).stages[0].values == stage("equalizer").values);
    // All bands at once and the finder: nothing is left out.
    StageSpec all = s;
    for (int b = 0; b < kEqualizerBands; ++b) {
        all.values[static_cast<size_t>(b * kBandParameters + kBandOn)] = 1.0;
        all.values[static_cast<size_t>(b * kBandParameters + kBandType)] = 3.0;  // low cut,
        all.values[static_cast<size_t>(b * kBandParameters + kBandFrequency)] = 20.0;
        all.values[static_cast<size_t>(b * kBandParameters + kBandSlope)] = 7.0;  // 48 dB per octave
    }
    const auto out = run(chain_of({all}), sine(430, 0.01, 1.0));
    CHECK(db(tone_amplitude(out, 430, 48000, 24000) / 0.01) == Approx(9.0).margin(0.2));
}
