// Reverb and echo: how long, how loud, and what they leave alone.
#include <catch2/catch.hpp>
#include <cmath>

#include "base/decibel.h"
#include "chain/chain.h"
#include "dsp/biquad_cascade.h"
#include "stages/registry.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

std::vector<float> impulse(double seconds, double rate = 48000) {
    std::vector<float> x(static_cast<size_t>(seconds * rate));
    x[0] = 1.0f;
    return x;
}

/// An octave about `frequency`, by four Butterworth sections.
std::vector<float> octave(const std::vector<float>& x, double frequency, double rate = 48000) {
    AudioBuffer b = mono(x);
    for (const auto& band :
         {BandSettings{FilterType::low_cut, frequency / std::sqrt(2.0), 0.0, 0.7071, 24},
          BandSettings{FilterType::high_cut, frequency * std::sqrt(2.0), 0.0, 0.7071, 24}}) {
        BiquadCascade f;
        f.snap(design(band, rate));
        for (size_t i = 0; i < b.frames(); i += kSubBlock)
            f.process(b.block(i, static_cast<int>(std::min<size_t>(kSubBlock, b.frames() - i))));
    }
    return b[0];
}

/// Reverberation time by ISO 3382-1, 5.3.3: a straight line through the backward integrated response from -5
/// to -35 dB (T30; M. R. Schroeder, JASA 37 (3), 1965).
double decay_time(const std::vector<float>& x, double rate = 48000) {
    std::vector<double> left(x.size());
    double sum = 0.0;
    for (size_t i = x.size(); i-- > 0;) {
        sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
        left[i] = sum;
    }
    double n = 0.0, t = 0.0, y = 0.0, tt = 0.0, ty = 0.0;
    for (size_t i = 0; i < x.size(); i += 32) {
        const double level = 10.0 * std::log10(left[i] / sum + 1e-30);
        if (level > -5.0 || level < -35.0) continue;
        const double at = static_cast<double>(i) / rate;
        n += 1.0;
        t += at;
        y += level;
        tt += at * at;
        ty += at * level;
    }
    return -60.0 / ((n * ty - t * y) / (n * tt - t * t));
}

using Changes = std::vector<std::pair<std::string, double>>;

/// A room alone, with nothing of the voice itself.
StageSpec room(Changes changes) {
    Changes all{{"mix", 100}, {"dark", 0}, {"before", 0}, {"from", 20}};
    all.insert(all.end(), changes.begin(), changes.end());
    return stage("reverb", all);
}

}  // namespace

TEST_CASE("a room dies away in the time that is set, in every size and at every rate", "[reference]") {
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const auto& [size, decay] :
             {std::pair{0.0, 200.0}, std::pair{1.0, 700.0}, std::pair{2.0, 2000.0}, std::pair{3.0, 6000.0},
              std::pair{1.0, 3000.0}}) {
            const auto y = run(chain_of({room({{"size", size}, {"decay", decay}})}),
                               impulse(1.5 * decay / 1000.0, rate), rate);
            INFO("size " << size << ", " << decay << " ms at " << rate);
            // 5 % is what is just noticed (ISO 3382-1, table A.1).
            CHECK(1000.0 * decay_time(y, rate) == Approx(decay).epsilon(0.05));
        }
    }
}

TEST_CASE("a room follows its decay and darkness while it sounds", "[reference]") {
    auto built = Chain::build(chain_of({room({{"decay", 300}})}), {48000, 1});
    REQUIRE(built.ok());
    AudioBuffer quiet(1, 48000);
    built.value()->process(quiet.block(0, 48000));
    built.value()->post(chain_of({room({{"decay", 1500}, {"dark", 80}})}));
    built.value()->process(quiet.block(0, 48000));
    AudioBuffer b = mono(impulse(3.0));
    built.value()->process(b.block(0, static_cast<int>(b.frames())));
    CHECK(decay_time(octave(b[0], 250)) == Approx(1.5).epsilon(0.12));
    CHECK(decay_time(octave(b[0], 8000)) < 1.1);
}

TEST_CASE("the darker a room, the sooner its top dies away, and not its middle", "[reference]") {
    double before = 1e9;
    for (const double dark : {0.0, 40.0, 80.0}) {
        const auto y = run(chain_of({room({{"decay", 1500}, {"dark", dark}})}), impulse(3.0));
        INFO(dark << " %");
        CHECK(decay_time(octave(y, 250)) == Approx(1.5).epsilon(0.12));
        const double top = decay_time(octave(y, 8000));
        CHECK(top < (dark == 0.0 ? 1.6 : 0.9 * before));
        before = top;
    }
}

TEST_CASE("a room makes nothing louder, whatever its size, decay and share", "[reference][figures]") {
    const auto x = noise(0.05, 6.0, 3);
    for (const double mix : {0.0, 15.0, 50.0, 100.0}) {
        for (const auto& [size, decay] :
             {std::pair{0.0, 150.0}, std::pair{1.0, 700.0}, std::pair{2.0, 2500.0}, std::pair{3.0, 2500.0}}) {
            const auto y = run(chain_of({room({{"mix", mix}, {"size", size}, {"decay", decay}})}), x);
            INFO("mix " << mix << ", size " << size);
            const double louder = db(rms(y, 3 * 48000) / rms(x, 3 * 48000));
            CHECK(louder < 1.0);
            CHECK(louder > -2.0);
            if (mix == 0.0) CHECK(y == x);
        }
    }
    // Two channels: as loud, and not the same on both sides.
    auto built = Chain::build(chain_of({room({})}), {48000, 2});
    REQUIRE(built.ok());
    AudioBuffer b = stereo(x, x);
    built.value()->process(b.block(0, static_cast<int>(b.frames())));
    double both = 0.0;
    for (size_t i = 48000; i < x.size(); ++i)
        both += static_cast<double>(b[0][i]) * static_cast<double>(b[1][i]);
    both /= static_cast<double>(x.size() - 48000) * rms(b[0], 48000) * rms(b[1], 48000);
    CHECK(std::abs(both) < 0.3);
    CHECK(std::abs(db(rms(b[0], 3 * 48000) / rms(x, 3 * 48000))) < 1.5);
}

TEST_CASE("the room comes after the word, by what is set", "[reference]") {
    for (const double before : {0.0, 40.0, 120.0}) {
        const auto y = run(chain_of({room({{"size", 2}, {"before", before}})}), impulse(0.5));
        // The shortest line of a hall is 31.7 ms long; what was before is silence.
        const auto first = static_cast<size_t>((before + 31.0) / 1000.0 * 48000);
        CHECK(peak(y, 0, first) < 1e-6);
        CHECK(peak(y, first, 4800) > 1e-3);
    }
    // Boom is kept out of it.
    const auto low = sine(60, 0.3, 2.0);
    const auto y = run(chain_of({room({{"from", 400}})}), low);
    CHECK(db(rms(y, 48000) / rms(low, 48000)) < -20.0);
}

TEST_CASE("an echo comes back after its time, each repeat softer by what is set", "[reference]") {
    for (const double rate : {44100.0, 48000.0, 192000.0}) {
        auto x = sine(500, 0.5, 0.05, rate);
        x.resize(static_cast<size_t>(1.5 * rate));
        const StageSpec spec =
            stage("echo", {{"level", -6}, {"time", 250}, {"repeats", 50}, {"tone", 20000}});
        const auto y = run(chain_of({spec}), x, rate);
        const auto energy = [&](int repeat) {
            const auto at = static_cast<size_t>(std::lround(0.25 * repeat * rate));
            return db(rms(y, at, static_cast<size_t>(0.05 * rate)));
        };
        INFO(rate);
        CHECK(energy(1) - energy(0) == Approx(-6.0).margin(0.1));
        for (int r = 2; r <= 4; ++r) CHECK(energy(r) - energy(r - 1) == Approx(-6.02).margin(0.1));
        // Between them is silence.
        CHECK(peak(y, static_cast<size_t>(0.1 * rate), static_cast<size_t>(0.14 * rate)) < 1e-6);
    }
}

TEST_CASE("after a fault an echo and a room begin anew", "[reference]") {
    for (const StageSpec& spec : {stage("echo", {{"level", 0}, {"time", 300}, {"repeats", 80}}),
                                  room({{"decay", 3000}, {"size", 3}})}) {
        auto made = find_stage_kind(spec.kind)->make();
        Stage& alone = *made.value();
        std::vector<float> x = noise(0.2, 2.5, 4);
        alone.prepare({48000, 1}, spec.values);
        const auto pass = [&](std::vector<float>& sound) {
            AudioBuffer one = mono(sound);
            for (size_t i = 0; i + kSubBlock <= one.frames(); i += kSubBlock) {
                alone.begin_sub_block();
                alone.process(one.block(i, kSubBlock));
            }
            return one[0];
        };
        (void)pass(x);
        alone.reset();
        std::vector<float> quiet(144000);
        INFO(spec.kind);
        CHECK(peak(pass(quiet)) == 0.0);
        // And it works again.
        auto click = impulse(1.0);
        CHECK(peak(pass(click), 5000) > 0.001);
    }
}

TEST_CASE("an echo makes nothing louder, and moves to another time without a click", "[reference]") {
    const auto x = noise(0.05, 6.0, 3);
    for (const double level : {-40.0, -14.0, 0.0}) {
        for (const double repeats : {0.0, 50.0, 85.0}) {
            const auto y =
                run(chain_of({stage("echo", {{"level", level}, {"repeats", repeats}, {"tone", 20000}})}), x);
            INFO(level << " dB, " << repeats << " %");
            const double louder = db(rms(y, 4 * 48000) / rms(x, 4 * 48000));
            CHECK(louder < 0.8);
            // From its first sample on: the voice alone is as soft as it will be.
            const double l = db_to_gain(level);
            const double r = repeats / 100.0;
            CHECK(static_cast<double>(y[0]) ==
                  Approx(static_cast<double>(x[0]) / std::sqrt(1.0 + l * l / (1.0 - r * r))).epsilon(1e-4));
            CHECK(louder > -1.5);
        }
    }
    const auto low = sine(200, 0.3, 4.0);
    auto built = Chain::build(chain_of({stage("echo", {{"level", 0}, {"repeats", 40}})}), {48000, 1});
    REQUIRE(built.ok());
    AudioBuffer b = mono(low);
    built.value()->process(b.block(0, 96000));
    built.value()->post(chain_of({stage("echo", {{"level", 0}, {"repeats", 40}, {"time", 777}})}));
    built.value()->process(b.block(96000, 96000));
    double steepest = 0.0;
    double own = 0.0;
    const auto bend = [](const std::vector<float>& s, size_t i) {
        return std::abs(static_cast<double>(s[i]) - 2.0 * static_cast<double>(s[i + 1]) +
                        static_cast<double>(s[i + 2]));
    };
    for (size_t i = 60000; i + 2 < low.size(); ++i) {
        steepest = std::max(steepest, bend(b[0], i));
        own = std::max(own, bend(low, i));
    }
    CHECK(steepest < 3.0 * own);
    // It is there: what the tone leaves behind when it ends comes after the new time.
    const auto click = impulse(3.0);
    AudioBuffer c = mono(click);
    built.value()->process(c.block(0, static_cast<int>(c.frames())));
    CHECK(peak(c[0], static_cast<size_t>(0.776 * 48000), 200) > 0.2);
}
