// Saturation, widener and balance against what they are defined to be.
#include <ebur128.h>

#include <catch2/catch.hpp>
#include <cmath>
#include <complex>
#include <memory>

#include "base/decibel.h"
#include "chain/chain.h"
#include "dsp/oversampler.h"
#include "engine/render.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Level of one frequency in `x` from `first` on, in dB of its amplitude, by a Hann window over whole
/// periods.
double tone_db(const std::vector<float>& x, size_t first, double hertz, double rate = 48000) {
    const size_t n = x.size() - first;
    std::complex<double> sum = 0.0;
    for (size_t i = 0; i < n; ++i) {
        const double window =
            1.0 - std::cos(2.0 * M_PI * (static_cast<double>(i) + 0.5) / static_cast<double>(n));
        sum += window * static_cast<double>(x[first + i]) *
               std::polar(1.0, -2.0 * M_PI * hertz * static_cast<double>(i) / rate);
    }
    return 20.0 * std::log10(2.0 * std::abs(sum) / static_cast<double>(n) + 1e-12);
}

std::vector<float> through(const StageSpec& s, const std::vector<float>& x, double rate = 48000) {
    return render(chain_of({s}), mono(x), rate, 512).value()[0];
}

/// Integrated loudness by the reference library, in LUFS.
double loudness(const std::vector<float>& x, double rate = 48000) {
    const std::unique_ptr<ebur128_state, void (*)(ebur128_state*)> state(
        ebur128_init(1, static_cast<unsigned long>(rate), EBUR128_MODE_I),
        [](ebur128_state* s) { ebur128_destroy(&s); });
    ebur128_add_frames_float(state.get(), x.data(), x.size());
    double out = 0.0;
    ebur128_loudness_global(state.get(), &out);
    return out;
}

}  // namespace

TEST_CASE("up and down again is a delay, and between the samples stands what belongs there", "[dsp]") {
    Oversampler o;
    o.reset();
    const double hertz = 3210.0;
    const auto x = sine(hertz, 0.5, 0.2);
    double worst_between = 0.0;
    double worst_back = 0.0;
    for (size_t at = 0; at + kSubBlock <= x.size(); at += kSubBlock) {
        float inner[Oversampler::kFactor][kSubBlock];
        float back[kSubBlock];
        o.up(&x[at], kSubBlock, inner);
        o.down(inner, kSubBlock, back);
        if (at < 200) continue;
        for (int i = 0; i < kSubBlock; ++i) {
            const double frame = static_cast<double>(at) + i - Oversampler::kDelay / 2.0;
            for (int p = 0; p < Oversampler::kFactor; ++p) {
                const double wanted = 0.5 * std::sin(2.0 * M_PI * hertz * (frame + 0.25 * p) / 48000.0);
                worst_between = std::max(worst_between, std::abs(wanted - static_cast<double>(inner[p][i])));
            }
            const double before = static_cast<double>(x[at + static_cast<size_t>(i) - Oversampler::kDelay]);
            worst_back = std::max(worst_back, std::abs(before - static_cast<double>(back[i])));
        }
    }
    CHECK(db(worst_between * worst_between) < -84.0);
    CHECK(db(worst_back * worst_back) < -80.0);
    // What stands above the outer rate's half on the way back is gone (Kaiser's design: 90 dB).
    for (const double image : {29000.0, 43000.0, 67000.0, 90000.0}) {
        Oversampler fresh;
        double power = 0.0;
        for (int at = 0; at < 4096; at += kSubBlock) {
            float inner[Oversampler::kFactor][kSubBlock];
            float back[kSubBlock];
            for (int i = 0; i < kSubBlock; ++i) {
                for (int p = 0; p < Oversampler::kFactor; ++p)
                    inner[p][i] =
                        static_cast<float>(std::sin(2.0 * M_PI * image * (4.0 * (at + i) + p) / 192000.0));
            }
            fresh.down(inner, kSubBlock, back);
            for (int i = 0; at >= 128 && i < kSubBlock; ++i)
                power = std::max(power, static_cast<double>(back[i]) * back[i]);
        }
        CHECK(db(power) < -84.0);
    }
}

TEST_CASE("saturation makes the harmonics of its curve, and none that are folded back", "[stages][figures]") {
    // A tone of 1000 Hz through tanh, its harmonics by the Fourier integral (Abramowitz and Stegun 9.1 has
    // the like for other curves); here summed numerically over one period.
    const double amplitude = 0.5;
    const double drive = db_to_gain(12.0);
    const auto harmonic = [&](int n, double bias) {
        std::complex<double> sum = 0.0;
        for (int i = 0; i < 4096; ++i) {
            const double t = 2.0 * M_PI * i / 4096;
            sum += std::tanh(drive * amplitude * std::sin(t) + bias) * std::polar(1.0, -n * t);
        }
        return std::abs(sum);
    };
    const auto x = sine(1000, amplitude, 2.0);
    for (const double even : {0.0, 100.0}) {
        const auto y =
            through(stage("saturation", {{"drive", 12}, {"even", even}, {"tone", 0}, {"mix", 100}}), x);
        const double bias = even > 0.0 ? 0.6585 : 0.0;
        const double first = tone_db(y, 48000, 1000);
        for (const int n : {2, 3, 4, 5}) {
            const double expected = 20.0 * std::log10(harmonic(n, bias) / harmonic(1, bias) + 1e-9);
            if (expected > -70.0)
                CHECK(tone_db(y, 48000, 1000.0 * n) - first == Approx(expected).margin(0.6));
            else
                CHECK(tone_db(y, 48000, 1000.0 * n) - first < -90.0);
        }
    }
    // 5 kHz at -6 dBFS: what is no harmonic is folded back.
    for (const double drive_db : {6.0, 12.0, 20.0}) {
        const auto z =
            through(stage("saturation", {{"drive", drive_db}, {"even", 50}, {"tone", 100}, {"mix", 100}}),
                    sine(5000, 0.5, 2.0));
        double worst = -200.0;
        for (double f = 250.0; f < 23900.0; f += 50.0) {
            if (std::abs(f - 5000.0 * std::round(f / 5000.0)) > 120.0)
                worst = std::max(worst, tone_db(z, 48000, f));
        }
        INFO(drive_db);
        CHECK(worst < -80.0);
    }
}

TEST_CASE("saturation keeps the loudness, at any drive, and passes untouched at no mix",
          "[stages][figures]") {
    const auto voice = spoken_words();
    const double before = loudness(voice);
    double worst = 0.0;
    for (const double drive : {0.0, 6.0, 12.0, 20.0}) {
        for (const double even : {0.0, 100.0}) {
            for (const double tone : {-100.0, 0.0, 100.0}) {
                const auto y = through(
                    stage("saturation", {{"drive", drive}, {"even", even}, {"tone", tone}, {"mix", 100}}),
                    voice);
                worst = std::max(worst, std::abs(loudness(y) - before));
            }
        }
    }
    CHECK(worst < 1.5);
    const auto usual = through(stage("saturation"), voice);
    CHECK(std::abs(loudness(usual) - before) < 0.5);
    const auto none = through(stage("saturation", {{"mix", 0}, {"drive", 20}}), voice);
    CHECK(std::equal(voice.begin(), voice.end() - 34, none.begin() + (none.size() == voice.size() ? 0 : 34)));
}

TEST_CASE("the widener leaves the sum of both sides as it was, and widens by its width",
          "[stages][figures]") {
    const auto voice = noise(0.1, 1.5, 7);
    const AudioBuffer both = stereo(voice, voice);
    double before = 0.0;
    for (const double width : {0.0, 13.0, 30.0, 100.0}) {
        const auto out = render(chain_of({stage("widener", {{"width", width}})}), both, 48000.0, 512);
        REQUIRE(out.ok());
        const auto& left = out.value()[0];
        const auto& right = out.value()[1];
        double worst = 0.0;
        double side = 0.0;
        double middle = 0.0;
        for (size_t i = 0; i < voice.size(); ++i) {
            const double sum = 0.5 * (static_cast<double>(left[i]) + right[i]);
            const double difference = 0.5 * (static_cast<double>(left[i]) - right[i]);
            worst = std::max(worst, std::abs(sum - static_cast<double>(voice[i])));
            side += difference * difference;
            middle += sum * sum;
        }
        CHECK(worst < 1e-6);
        const double level = std::sqrt(side / middle);
        CHECK(level == Approx(0.01 * width).margin(0.02));
        CHECK(level >= before);
        before = level;
        // Up to width 30 % no ear hears any third of an octave of noise more than 3 dB off.
        if (width > 30.0) continue;
        for (double f = 250.0; f < 12000.0; f *= 2.0) {
            const auto level_of = [&](const std::vector<float>& x) {
                double power = 0.0;
                for (double k = -0.1; k <= 0.1; k += 0.01)
                    power += std::pow(10.0, 0.1 * tone_db(x, 4800, f * std::pow(2.0, k)));
                return 10.0 * std::log10(power);
            };
            CHECK(std::abs(level_of(left) - level_of(voice)) < 3.0);
        }
    }
    // What was in the sides already stays there.
    const auto other = noise(0.1, 1.0, 8);
    const AudioBuffer apart = stereo(noise(0.1, 1.0, 9), other);
    const auto out = render(chain_of({stage("widener", {{"width", 0}})}), apart, 48000.0, 512);
    CHECK((out.value()[1] == other));
}

TEST_CASE("what needs two channels passes one and says so", "[stages]") {
    for (const char* kind : {"widener", "balance"}) {
        const auto chain = Chain::build(chain_of({stage(kind)}), {48000.0, 1});
        REQUIRE(chain.ok());
        REQUIRE(chain.value()->trouble(0) != nullptr);
        CHECK_THAT(chain.value()->trouble(0), Catch::Contains("Stereo in the input menu"));
        const auto x = noise(0.1, 0.2, 5);
        CHECK((through(stage(kind), x) == x));
        CHECK(Chain::build(chain_of({stage(kind)}), {48000.0, 2}).value()->trouble(0) == nullptr);
    }
}

TEST_CASE("balance sends, lifts, turns and delays each side as it is told", "[stages]") {
    const auto l = noise(0.1, 0.3, 1);
    const auto r = noise(0.1, 0.3, 2);
    struct Case {
        StageSpec s;
        double matrix[2][2];  // to left and right, from left and right
    };
    const double six = db_to_gain(6.0);
    const Case cases[] = {
        {stage("balance"), {{1, 0}, {0, 1}}},
        {stage("balance", {{"route", 1}}), {{0, 1}, {1, 0}}},
        {stage("balance", {{"route", 2}}), {{1, 0}, {1, 0}}},
        {stage("balance", {{"route", 3}}), {{0, 1}, {0, 1}}},
        {stage("balance", {{"route", 4}}), {{.5, .5}, {.5, .5}}},
        {stage("balance", {{"invert", 1}}), {{1, 0}, {0, -1}}},
        {stage("balance", {{"left", 6}, {"right", -60}}), {{six, 0}, {0, 0}}},
        {stage("balance", {{"side", -60}}), {{.5, .5}, {.5, .5}}},
        {stage("balance", {{"mid", -60}}), {{.5, -.5}, {-.5, .5}}},
        {stage("balance", {{"mid", 6}}), {{.5 * six + .5, .5 * six - .5}, {.5 * six - .5, .5 * six + .5}}},
        {stage("balance", {{"route", 1}, {"invert", 1}, {"left", 6}}), {{0, six}, {-1, 0}}},
    };
    for (const Case& c : cases) {
        const auto out = render(chain_of({c.s}), stereo(l, r), 48000.0, 512);
        REQUIRE(out.ok());
        double worst = 0.0;
        for (size_t i = 0; i < l.size(); ++i) {
            for (int to = 0; to < 2; ++to) {
                const double wanted =
                    c.matrix[to][0] * static_cast<double>(l[i]) + c.matrix[to][1] * static_cast<double>(r[i]);
                worst = std::max(worst, std::abs(wanted - static_cast<double>(out.value()[to][i])));
            }
        }
        INFO(&c - cases);
        CHECK(worst < 1e-6);
    }
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const double ms : {-20.0, -1.0, 3.0}) {
            const auto out = render(chain_of({stage("balance", {{"delay", ms}})}), stereo(l, r), rate, 512);
            const auto by = static_cast<size_t>(std::lround(std::abs(ms) * 0.001 * rate));
            const auto& late = out.value()[ms > 0.0 ? 1 : 0];
            const auto& plain = ms > 0.0 ? r : l;
            CHECK(std::equal(late.begin() + static_cast<std::ptrdiff_t>(by), late.end(), plain.begin()));
            CHECK(out.value()[ms > 0.0 ? 0 : 1] == (ms > 0.0 ? l : r));
        }
    }
}
