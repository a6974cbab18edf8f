// De-esser, plosives, leveller: what acts only when needed does so, and leaves the rest alone. On
// recorded voices: bench/stages.
#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "base/decibel.h"
#include "chain/chain.h"
#include "dsp/biquad_cascade.h"
#include "dsp/modulated_shelf.h"
#include "measure/intelligibility.h"
#include "measure/loudness.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// The sound between two frequencies.
std::vector<float> between(const std::vector<float>& x, double from, double to, double rate = 48000) {
    AudioBuffer b = mono(x);
    for (const auto& band : {BandSettings{FilterType::low_cut, from, 0.0, 0.7071, 48},
                             BandSettings{FilterType::high_cut, to, 0.0, 0.7071, 48}}) {
        BiquadCascade f;
        f.snap(design(band, rate));
        for (size_t i = 0; i < b.frames(); i += kSubBlock)
            f.process(b.block(i, static_cast<int>(std::min<size_t>(kSubBlock, b.frames() - i))));
    }
    return b[0];
}

/// A vowel: harmonics of `pitch` that fall by 7 dB an octave, RMS as wanted.
std::vector<float> vowel(double pitch, double level, double seconds, double rate = 48000) {
    std::vector<float> out(static_cast<size_t>(seconds * rate));
    for (int k = 1; k * pitch < 4000; ++k)
        out = mix(out, sine(k * pitch, std::pow(k, -1.2), seconds, rate, k));
    const double by = level / rms(out);
    for (float& x : out) x *= static_cast<float>(by);
    return out;
}

/// Vowels of 0.4 s and an "s" of 0.2 s about `hertz` after each, again and again.
std::vector<float> hissing(double hertz, double level, int times, double sharp = 0.5, double rate = 48000) {
    std::vector<float> out;
    for (int i = 0; i < times; ++i) {
        append(out, vowel(140, level, 0.4, rate));
        auto s = between(noise(1.0, 0.2, static_cast<std::uint32_t>(i + 1), rate), 0.8 * hertz, 1.25 * hertz,
                         rate);
        const double by = sharp * level / rms(s);
        for (float& x : s) x *= static_cast<float>(by);
        append(out, s);
    }
    return out;
}

/// Level of y against x in dB, in the middle of every part of `length` seconds from `first` on, each 0.6 s.
double change(const std::vector<float>& x, const std::vector<float>& y, double first, double length,
              double rate = 48000) {
    double in = 0.0;
    double out = 0.0;
    for (double t = 6 * 0.6 + first; (t + length) * rate < static_cast<double>(x.size()); t += 0.6) {
        in += std::pow(rms(x, static_cast<size_t>(t * rate), static_cast<size_t>(length * rate)), 2);
        out += std::pow(rms(y, static_cast<size_t>(t * rate), static_cast<size_t>(length * rate)), 2);
    }
    return 10.0 * std::log10(out / in);
}

double readout(Chain& chain, size_t which) {
    return static_cast<double>(chain.readouts(0).at(which));
}

/// Runs a chain of one stage over `x` and returns it, for what it tells.
std::unique_ptr<Chain> after(const StageSpec& s, const std::vector<float>& x, double rate = 48000) {
    auto built = Chain::build(chain_of({s}), {rate, 1});
    AudioBuffer b = mono(x);
    built.value()->process(b.block(0, static_cast<int>(b.frames())));
    return std::move(built.value());
}

}  // namespace

TEST_CASE("a moving shelf that stands still is the cookbook's, and passes at 0 dB unchanged", "[stages]") {
    // W3C Note "Audio EQ Cookbook", H(s) of the shelves with Q 0.7071.
    for (const auto side : {ModulatedShelf::Side::low, ModulatedShelf::Side::high}) {
        for (const double gain : {-24.0, -9.0, 0.0, 6.0}) {
            ModulatedShelf shelf(side);
            shelf.prepare(48000, 1000);
            std::vector<float> x(8192);
            x[0] = 1.0f;
            AudioBuffer b = mono(x);
            std::vector<float> gains(kSubBlock, static_cast<float>(gain));
            for (size_t i = 0; i < b.frames(); i += kSubBlock)
                shelf.process(b.block(i, kSubBlock), gains.data());
            if (gain == 0.0) CHECK((b[0] == x));
            const BandSettings same{
                side == ModulatedShelf::Side::low ? FilterType::low_shelf : FilterType::high_shelf, 1000,
                gain, 0.7071, 12};
            for (const double f : {50.0, 300.0, 1000.0, 2500.0}) {
                std::complex<double> h = 0.0;
                for (size_t n = 0; n < b.frames(); ++n)
                    h += static_cast<double>(b[0][n]) *
                         std::polar(1.0, -2.0 * M_PI * f * static_cast<double>(n) / 48000.0);
                INFO("gain " << gain << " at " << f);
                CHECK(db(std::abs(h)) == Approx(db(std::abs(prototypes(same)[0].response(f)))).margin(0.25));
            }
        }
    }
}

TEST_CASE("the de-esser lowers s by 6 dB and leaves the rest, at every level and rate", "[stages][figures]") {
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const double level : {0.2, 0.02}) {
            INFO("rate " << rate << ", level " << level);
            const auto x = hissing(6500, level, 20, 0.5, rate);
            const auto y = run(chain_of({stage("deesser")}), x, rate);
            CHECK(change(x, y, 0.45, 0.10, rate) < -6.0);
            CHECK(change(x, y, 0.45, 0.10, rate) > -9.5);
            CHECK(std::abs(change(x, y, 0.05, 0.30, rate)) < 0.1);
        }
    }
    // Dull ones are let be, and so is the hiss of a pause behind a loud voice.
    const auto dull = hissing(6500, 0.2, 20, 0.03);
    CHECK(std::abs(change(dull, run(chain_of({stage("deesser")}), dull), 0.45, 0.10)) < 0.5);
    auto pause = hissing(6500, 0.2, 10);
    append(pause, noise(0.003, 4.0, 5));
    const auto heard = run(chain_of({stage("deesser")}), pause);
    CHECK(db(rms(heard, 7 * 48000, 96000) / rms(pause, 7 * 48000, 96000)) == Approx(0.0).margin(0.1));
}

TEST_CASE("the de-esser finds where a voice's s is, keeps it over a rebuild, or stays where it is set",
          "[stages]") {
    const auto low = after(stage("deesser"), hissing(5200, 0.1, 12));
    const auto high = after(stage("deesser"), hissing(8500, 0.1, 12));
    // Below the sibilants' middle, by the same share for all.
    CHECK(readout(*low, 1) == Approx(0.58 * 5200).epsilon(0.12));
    CHECK(readout(*high, 1) == Approx(0.58 * 8500).epsilon(0.12));
    CHECK(readout(*high, 0) > -12.0);
    const auto by_hand = after(stage("deesser", {{"finds", 0}, {"frequency", 7000}}), hissing(5200, 0.1, 12));
    CHECK(readout(*by_hand, 1) == Approx(7000));
    // The next chain begins where this one stands.
    auto next = Chain::build(chain_of({stage("deesser")}), {48000, 1});
    next.value()->adopt_adaptive_state(*high);
    AudioBuffer b = mono(silence(0.1));
    next.value()->process(b.block(0, 4800));
    CHECK(readout(*next.value(), 1) == Approx(readout(*high, 1)).epsilon(0.02));
}

TEST_CASE("the whole voice is lowered when that is chosen, and what is taken can be heard", "[stages]") {
    const auto x = hissing(6500, 0.1, 16);
    const auto whole = run(chain_of({stage("deesser", {{"range", 1}, {"depth", -6}})}), x);
    const auto low = [&](const std::vector<float>& s) { return between(s, 3900, 4700); };
    // Below the s as well: the whole falls by the depth.
    CHECK(change(low(x), low(whole), 0.5, 0.08) == Approx(-6.0).margin(0.7));
    for (const char* kind : {"deesser", "plosives"}) {
        const auto kept = run(chain_of({stage(kind)}), x);
        const auto taken = run(chain_of({stage(kind, {{"removed", 1}})}), x);
        // Both together are what came in.
        CHECK(largest_difference(mix(kept, taken), x) < 1e-5);
    }
}

TEST_CASE("speech is as easy to understand after de-esser and plosives", "[stages]") {
    // STOI: Taal and others, IEEE Trans. ASLP 19 (7), 2011.
    const auto x = spoken_words(2);
    for (const char* kind : {"deesser", "plosives"}) {
        const auto kept = stoi(x, run(chain_of({stage(kind)}), x), 48000);
        REQUIRE(kept.has_value());
        CHECK(*kept > 0.99);
    }
}

TEST_CASE("gusts are lowered by 10 dB from their first moment, a low voice is let be", "[stages]") {
    auto x = vowel(85, 0.1, 6.0);  // a bass, whose lows are learnt
    const size_t at = x.size();
    append(x, silence(0.3));
    // A gust somewhat higher than the voice: 50 Hz that is there within 4 ms and dies away.
    auto gust = sine(50, 0.5, 0.25);
    for (size_t i = 0; i < gust.size(); ++i) {
        const double t = static_cast<double>(i) / 48000.0;
        gust[i] *= static_cast<float>(std::min(1.0, t / 0.004) * std::exp(-t / 0.08));
    }
    append(x, gust);
    append(x, vowel(85, 0.1, 1.0));
    const auto y = run(chain_of({stage("plosives")}), x);
    const size_t blow = at + 14400;
    CHECK(db(rms(y, blow, 9600) / rms(x, blow, 9600)) < -10.0);
    CHECK(db(peak(y, blow, 480) / peak(x, blow, 480)) < -5.0);  // its first 10 ms
    for (const double from : {5.0, 6.9}) {
        const auto first = static_cast<size_t>(from * 48000);
        CHECK(std::abs(db(rms(y, first, 28800) / rms(x, first, 28800))) < 0.3);
        CHECK(std::abs(db(rms(between(y, 40, 200), first, 28800) / rms(between(x, 40, 200), first, 28800))) <
              1.0);
    }
    CHECK(readout(*after(stage("plosives"), {x.begin(), x.begin() + static_cast<long>(blow + 2400)}), 0) >
          0.0);
}

TEST_CASE("a bass nobody has heard yet is let be from its second word on, gusts over it are not",
          "[stages]") {
    for (const double pitch : {70.0, 85.0, 110.0}) {
        INFO("a voice of " << pitch << " Hz");
        std::vector<float> x;
        while (x.size() < 4 * 48000) {
            append(x, vowel(pitch, 0.1, 0.3));
            append(x, silence(0.1));
        }
        const auto y = run(chain_of({stage("plosives")}), x);
        const auto lows = [](const std::vector<float>& s) { return rms(between(s, 40, 200), 38400, 144000); };
        CHECK(std::abs(db(lows(y) / lows(x))) < 1.0);
        // A gust of 45 Hz, twice as high as the voice, that a word begins with: less of it comes out, and of
        // the word no less above 200 Hz.
        auto both = x;
        const size_t at = 3 * 48000 - 9600;
        const double top = 2.0 * peak(x);
        for (size_t i = 0; i < 9600; ++i) {
            const double t = static_cast<double>(i) / 48000.0;
            both[at + i] += static_cast<float>(top * std::min(1.0, t / 0.004) * std::exp(-t / 0.04) *
                                               std::sin(2.0 * M_PI * 45.0 * t));
        }
        const auto tamed = run(chain_of({stage("plosives")}), both);
        const auto gust = [&](const std::vector<float>& s) { return rms(between(s, 20, 60), at, 4800); };
        // The nearer the voice itself is to a gust, the less can be told from it.
        CHECK(db(gust(tamed) / gust(both)) < (pitch < 100.0 ? -4.5 : -8.0));
        const auto rest = [&](const std::vector<float>& s) { return rms(between(s, 400, 3000), at, 4800); };
        CHECK(std::abs(db(rest(tamed) / rest(both))) < 0.5);
    }
}

TEST_CASE("a low voice whose deepest tone is its loudest keeps it, from the first word on", "[stages]") {
    // As in "oo": each tone 9 dB below the one before; nothing below 50 Hz.
    for (const double pitch : {100.0, 110.0, 124.0, 150.0}) {
        INFO("a voice of " << pitch << " Hz");
        std::vector<float> word(24000), x = silence(0.5);
        for (int k = 1; k <= 8; ++k) {
            for (size_t i = 0; i < word.size(); ++i) {
                const double t = static_cast<double>(i) / 48000.0;
                const double fade = std::min({1.0, t / 0.03, (0.5 - t) / 0.06});
                word[i] += static_cast<float>(0.15 * std::pow(10.0, -9.0 * (k - 1) / 20.0) * fade *
                                              std::sin(2.0 * M_PI * pitch * k * t));
            }
        }
        for (int n = 0; n < 6; ++n) {
            append(x, word);
            append(x, silence(0.3));
        }
        const auto y = run(chain_of({stage("plosives")}), x);
        const auto lows = [](const std::vector<float>& s, size_t from, size_t n) {
            return rms(between(s, 50, 200), from, n);
        };
        CHECK(db(lows(y, 24000, 38400) / lows(x, 24000, 38400)) > -1.0);  // the first word
        CHECK(db(lows(y, 24000, 200000) / lows(x, 24000, 200000)) > -1.0);
    }
}

TEST_CASE("the leveller brings a voice back to its level, and lifts no pause", "[stages][figures]") {
    // Talk that is 12 dB apart from one half minute to the next, over a room.
    auto words = spoken_words(4);
    const double by = 0.05 / rms(words);
    for (float& s : words) s *= static_cast<float>(by);
    auto x = words;
    for (float s : words) x.push_back(0.25f * s);
    const size_t end = x.size();
    append(x, silence(4.0));
    x = mix(x, dull_noise(0.0002, 1000, static_cast<double>(x.size()) / 48000.0, 3));
    const auto y = run(chain_of({stage("leveller")}), x);
    // The second repeat of the words in both halves.
    const size_t n = words.size();
    const auto level = [&](const std::vector<float>& s, size_t first) {
        return db(rms(s, first + n / 2, n / 2));
    };
    CHECK(level(x, 0) - level(x, n) == Approx(12.0).margin(0.2));
    CHECK(level(y, 0) - level(y, n) < 3.0);
    CHECK(level(y, 0) - level(y, n) > 0.0);
    // The pause after a voice that was lifted: as it came, from a second on.
    CHECK(level(y, n) > level(x, n) + 4.0);
    CHECK(db(rms(y, end + 72000, 96000) / rms(x, end + 72000, 96000)) == Approx(0.0).margin(0.05));
    // What it is not allowed to do it does not.
    const auto bound = run(chain_of({stage("leveller", {{"lift", 3}, {"lower", 0}})}), x);
    CHECK(level(bound, n) - level(x, n) < 3.05);
    CHECK(level(bound, 0) - level(x, 0) > -0.05);
    CHECK(readout(*after(stage("leveller"), x), 0) < -20.0);
}

TEST_CASE(
    "a voice that goes away and comes back within seconds keeps its loudness, and a steady one its play",
    "[stages][figures]") {
    // Integrated loudness (ITU-R BS.1770) of stretches of three seconds, from the tenth second on: how far
    // from their middle.
    const auto spread = [](const std::vector<float>& x) {
        std::vector<double> all;
        for (size_t at = 10 * 48000; at + 144000 <= x.size(); at += 24000) {
            const auto from = x.begin() + static_cast<std::ptrdiff_t>(at);
            AudioBuffer piece = mono({from, from + 144000});
            all.push_back(measure_loudness(piece, 48000).integrated.value_or(-70.0));
        }
        std::ranges::sort(all);
        const double middle = all[all.size() / 2];
        return std::max(all.back() - middle, middle - all.front());
    };
    // The words as a sentence has them: what is silent for more than a quarter of a second is left out.
    const auto apart = spoken_words(6);
    std::vector<float> steady;
    size_t silent = 0;
    for (size_t i = 0; i + 480 <= apart.size(); i += 480) {
        silent = rms(apart, i, 480) < 1e-3 ? silent + 1 : 0;
        if (silent <= 25)
            append(steady, {apart.begin() + static_cast<std::ptrdiff_t>(i),
                            apart.begin() + static_cast<std::ptrdiff_t>(i) + 480});
    }
    const double by = 0.06 / rms(steady);
    auto wanders = steady;
    for (size_t i = 0; i < steady.size(); ++i) {
        const double turn =
            -6.0 - 6.0 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i) / (16.0 * 48000));
        wanders[i] *= static_cast<float>(by * db_to_gain(turn));
        steady[i] *= static_cast<float>(by * 0.5);
    }
    const auto room = noise(0.0003, static_cast<double>(steady.size()) / 48000.0, 3);
    wanders = mix(wanders, room);
    const double still = spread(steady), before = spread(wanders),
                 after = spread(run(chain_of({stage("leveller")}), wanders));
    const double kept = spread(run(chain_of({stage("leveller")}), steady));
    INFO("steady " << still << ", levelled " << kept << ", wandering " << before << ", levelled " << after
                   << " LU");
    CHECK(before > 5.0);
    CHECK(after < still + 1.5);
    CHECK(kept < still + 0.5);
}

TEST_CASE("a fan or a hiss alone is never taken for a voice that has to be lifted", "[stages]") {
    const auto x = dull_noise(0.003, 800, 20.0, 9);
    const auto y = run(chain_of({stage("leveller")}), x);
    CHECK(db(rms(y, 10 * 48000) / rms(x, 10 * 48000)) == Approx(0.0).margin(0.05));
}
