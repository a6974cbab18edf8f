// Pitch: what it finds, where it puts it, and what it leaves alone.
#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "base/decibel.h"
#include "chain/chain.h"
#include "dsp/fourier.h"
#include "dsp/pitch_detector.h"
#include "measure/loudness.h"
#include "stages/pitch.h"
#include "support/signals.h"
#include "support/vowel.h"

using namespace reed;
using namespace reed::test;

namespace {

constexpr double kTurn = 2.0 * std::numbers::pi;

/// Pitch by the highest peak of the normalised autocorrelation over a whole second: another method than the
/// one that is tested.
double measured_pitch(const std::vector<float>& x, double low, double high, double rate = 48000) {
    const size_t n = static_cast<size_t>(0.5 * rate), from = x.size() / 3;
    const auto likeness = [&](size_t lag) {
        double both = 0.0, one = 0.0, other = 0.0;
        for (size_t i = from; i < from + n; ++i) {
            const double a = x[i], b = x[i + lag];
            both += a * b;
            one += a * a;
            other += b * b;
        }
        return both / std::sqrt(one * other);
    };
    const auto shortest = static_cast<size_t>(rate / high), longest = static_cast<size_t>(rate / low);
    size_t best = shortest;
    double most = -1.0;
    for (size_t lag = shortest; lag <= longest; ++lag) {
        if (const double now = likeness(lag); now > most) {
            most = now;
            best = lag;
        }
    }
    const double left = likeness(best - 1), right = likeness(best + 1);
    return rate / (static_cast<double>(best) + 0.5 * (left - right) / (left - 2.0 * most + right));
}

double cents(double f, double wanted) {
    return 1200.0 * std::log2(f / wanted);
}

/// Power of the second quarter on by frequency, in steps of about 3 Hz.
std::vector<double> powers(const std::vector<float>& x) {
    constexpr int kSize = 16384;
    Fourier fourier(kSize);
    std::vector<double> out(kSize / 2 + 1);
    for (size_t at = x.size() / 4; at + kSize <= x.size(); at += kSize / 2) {
        for (size_t i = 0; i < kSize; ++i)
            fourier.samples()[i] =
                x[at + i] * static_cast<float>(0.5 - 0.5 * std::cos(kTurn * static_cast<double>(i) / kSize));
        fourier.forward();
        for (size_t k = 0; k < out.size(); ++k)
            out[k] += static_cast<double>(std::norm(fourier.spectrum()[k]));
    }
    return out;
}

/// Level between two frequencies, in dB, and where it has its middle.
std::pair<double, double> band(const std::vector<float>& x, double low, double high) {
    const auto all = powers(x);
    const double step = 48000.0 / (2.0 * static_cast<double>(all.size() - 1));
    double sum = 0.0, weighted = 0.0;
    for (auto k = static_cast<size_t>(low / step); static_cast<double>(k) * step <= high; ++k) {
        sum += all[k];
        weighted += static_cast<double>(k) * step * all[k];
    }
    return {10.0 * std::log10(sum), weighted / sum};
}
double level_between(const std::vector<float>& x, double low, double high) {
    return band(x, low, high).first;
}
double centre_between(const std::vector<float>& x, double low, double high) {
    return band(x, low, high).second;
}

StageSpec pitch_stage(const std::vector<std::pair<std::string, double>>& values) {
    return stage("pitch", values);
}

}  // namespace

TEST_CASE("the pitch of a voice is found within five cents, and that of noise is none", "[reference]") {
    for (const double rate : {44100.0, 48000.0, 96000.0, 192000.0}) {
        PitchDetector finder;
        finder.prepare(rate);
        for (const double pitch : {70.0, 98.0, 131.0, 220.0, 349.0, 523.0, 660.0}) {
            auto x = vowel(pitch, 0.5, rate);
            const auto room = noise(rms(x) * 0.05, 0.5, 3, rate);  // 26 dB below
            x = mix(x, room);
            finder.reset();
            finder.add(x.data(), static_cast<int>(x.size()));
            const double period = finder.find();
            INFO(pitch << " Hz at " << rate);
            REQUIRE(period > 0.0);
            CHECK(std::abs(cents(rate / period, pitch)) < 5.0);
        }
        auto hiss = noise(0.1, 0.5, 5, rate);
        finder.reset();
        finder.add(hiss.data(), static_cast<int>(hiss.size()));
        CHECK(finder.find() == 0.0);
        std::vector<float> quiet(static_cast<size_t>(0.5 * rate));
        finder.add(quiet.data(), static_cast<int>(quiet.size()));
        CHECK(finder.find() == 0.0);
    }
}

TEST_CASE("at rest pitch only delays, whatever comes", "[reference]") {
    auto x = vowel(120.0, 1.0, 48000, 80.0);
    append(x, noise(0.1, 0.5, 4));
    append(x, silence(0.2));
    append(x, vowel(310.0, 1.0, 48000, 40.0));
    CHECK(largest_difference(run(chain_of({pitch_stage({})}), x), x) < 1e-6);
}

TEST_CASE("pitch moves to where it is set, and formants stay", "[reference][figures]") {
    for (const double pitch : {95.0, 140.0, 230.0}) {
        const auto x = vowel(pitch, 2.0, 48000, 15.0);
        for (const double shift : {-12.0, -7.0, -3.0, 2.0, 5.0, 12.0}) {
            const auto y = run(chain_of({pitch_stage({{"shift", shift}})}), x);
            const double wanted = pitch * std::exp2(shift / 12.0);
            INFO(pitch << " Hz by " << shift);
            CHECK(std::abs(cents(measured_pitch(y, wanted / 1.5, wanted * 1.5), wanted)) < 10.0);
            // Harmonics stand elsewhere under the same envelope: the first two formants against the third.
            const auto balance = [&](const std::vector<float>& s) {
                return level_between(s, 500.0, 1400.0) - level_between(s, 2000.0, 2900.0);
            };
            CHECK(balance(y) == Approx(balance(x)).margin(4.0));
            CHECK(centre_between(y, 1900.0, 3000.0) ==
                  Approx(centre_between(x, 1900.0, 3000.0)).epsilon(0.06));
            CHECK(db(rms(y, 48000, 40000) / rms(x, 48000, 40000)) == Approx(0.0).margin(2.5));
        }
    }
}

TEST_CASE("a held tone keeps its colour at another pitch, however long", "[reference][figures]") {
    // What is cut stays on the pulses of the voice: first two formants against the third, every half second.
    for (const double pitch : {97.3, 141.7, 203.9, 263.1}) {
        const auto x = vowel(pitch, 10.0);
        for (const double shift : {-12.0, -7.0, 7.0}) {
            const auto y = run(chain_of({pitch_stage({{"shift", shift}})}), x);
            double least = 1e9, most = -1e9;
            for (size_t i = 48000; i + 72000 < y.size(); i += 24000) {
                const std::vector<float> part(y.begin() + static_cast<std::ptrdiff_t>(i),
                                              y.begin() + static_cast<std::ptrdiff_t>(i + 24000));
                const double balance =
                    level_between(part, 500.0, 1400.0) - level_between(part, 2000.0, 2900.0);
                least = std::min(least, balance);
                most = std::max(most, balance);
            }
            INFO(pitch << " Hz by " << shift);
            CHECK(most - least < 0.3);
        }
    }
}

TEST_CASE("formants move apart from the pitch", "[reference]") {
    const auto x = vowel(120.0, 2.0, 48000, 15.0);
    for (const double size : {-5.0, -2.0, 3.0, 6.0}) {
        const auto y = run(chain_of({pitch_stage({{"size", size}})}), x);
        const double by = std::exp2(size / 12.0);
        INFO(size);
        CHECK(std::abs(cents(measured_pitch(y, 80.0, 180.0), 120.0)) < 10.0);
        CHECK(centre_between(y, 1900.0 * by, 3000.0 * by) ==
              Approx(by * centre_between(x, 1900.0, 3000.0)).epsilon(0.06));
    }
}

TEST_CASE("snap pulls a tone to the nearest note of its scale", "[reference]") {
    // 228 Hz lies between A (220 Hz) and A sharp (233.08 Hz, both equal-tempered from 440 Hz, ISO 16).
    const auto x = vowel(228.0, 2.0);
    const auto at = [&](double scale, double root, double snap) {
        return measured_pitch(
            run(chain_of({pitch_stage({{"snap", snap}, {"scale", scale}, {"root", root}})}), x), 190.0,
            260.0);
    };
    CHECK(std::abs(cents(at(0, 0, 100), 233.08)) < 8.0);
    CHECK(std::abs(cents(at(1, 0, 100), 220.0)) < 8.0);    // C major has no A sharp
    CHECK(std::abs(cents(at(1, 10, 100), 233.08)) < 8.0);  // its own major has
    CHECK(std::abs(cents(at(2, 0, 100), 233.08)) < 8.0);   // C minor has B flat, and no A
    CHECK(std::abs(cents(at(3, 0, 100), 220.0)) < 8.0);    // C D E G A
    // Of the shifted voice: 228 Hz and two and a half semitones are 12 cents from C (261.63 Hz).
    const auto shifted = run(chain_of({pitch_stage({{"shift", 2.5}, {"snap", 100}})}), x);
    CHECK(std::abs(cents(measured_pitch(shifted, 220.0, 310.0), 261.63)) < 8.0);
    const double half = at(1, 0, 50);
    CHECK(std::abs(cents(half, std::sqrt(220.0 * 228.0))) < 8.0);
    CHECK(std::abs(cents(at(1, 0, 0), 228.0)) < 2.0);
}

TEST_CASE("what has no pitch keeps its own", "[reference]") {
    const auto x = noise(0.1, 2.0, 6);
    const auto y = run(chain_of({pitch_stage({{"shift", 7}})}), x);
    CHECK(largest_difference(x, y) < 0.02);
    // Its size moves with the formants; its level stays.
    const auto z = run(chain_of({pitch_stage({{"size", 4}})}), x);
    CHECK(db(rms(z, 24000, 48000) / rms(x, 24000, 48000)) == Approx(0.0).margin(1.0));
}

TEST_CASE("spoken words at another pitch are as loud as they were, and as long", "[reference][figures]") {
    const auto x = spoken_words();
    AudioBuffer plain = mono(x);
    const double before = measure_loudness(plain, 48000).integrated.value();
    for (const auto& [shift, size] :
         {std::pair{-5.0, -3.0}, {5.0, 3.0}, {-12.0, 0.0}, {12.0, 0.0}, {0.0, 5.0}}) {
        const auto y = run(chain_of({pitch_stage({{"shift", shift}, {"size", size}})}), x);
        REQUIRE(y.size() == x.size());
        AudioBuffer moved = mono(y);
        INFO(shift << ", formants " << size);
        CHECK(measure_loudness(moved, 48000).integrated.value() == Approx(before).margin(2.5));
    }
}

TEST_CASE("notes and scales are those of equal temperament on 440 Hz", "[reference][pitch]") {
    // ISO 16 (A of 440 Hz); twelve equal steps to the octave. C, E and G above: handbook values.
    CHECK(note_of(440.0) == Approx(69.0));
    CHECK(frequency_of_note(60) == Approx(261.63).margin(0.01));
    CHECK(frequency_of_note(64) == Approx(329.63).margin(0.01));
    CHECK(frequency_of_note(67) == Approx(392.00).margin(0.01));
    CHECK(note_of(frequency_of_note(41.3)) == Approx(41.3));
    // D major: two sharps, F and C.
    std::vector<double> values = stage("pitch", {{"scale", 1}, {"root", 2}}).values;
    for (const int note : {62, 64, 66, 67, 69, 71, 73, 74, 50}) CHECK(scale_has(values, note));
    for (const int note : {63, 65, 68, 70, 72}) CHECK_FALSE(scale_has(values, note));
    CHECK(way_to_scale(values, 65.2) == Approx(0.8));   // F and a bit: to F sharp
    CHECK(way_to_scale(values, 64.9) == Approx(-0.9));  // a bit under F: to E
    CHECK(way_to_scale(values, 66.0) == Approx(0.0));
}
