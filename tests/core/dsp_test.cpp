// The small parts everything else stands on.
#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <random>
#include <thread>

#include "base/fast_math.h"
#include "base/history_ring.h"
#include "dsp/biquad_cascade.h"
#include "dsp/crossfade_delay.h"
#include "dsp/delay_line.h"
#include "dsp/fourier.h"
#include "dsp/frame_adapter.h"
#include "dsp/intersample_peak.h"
#include "dsp/level_detector.h"
#include "dsp/sliding_minimum.h"
#include "dsp/smoothed.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("transforms have lengths that are quick", "[dsp]") {
    CHECK(fast_length(884) == 896);  // 884 = 4 * 13 * 17
    CHECK(fast_length(440) == 448);
    CHECK(fast_length(882) == 896);
    for (const int quick : {4, 480, 960, 1920, 1764, 3528, 3840}) CHECK(fast_length(quick) == quick);
    CHECK(fast_length(1) == 4);
}

TEST_CASE("fast logarithm and power keep the errors they state", "[dsp]") {
    double log_error = 0.0;
    double power_error = 0.0;
    for (double x = 1e-30; x < 1e30; x *= 1.0007) {
        const auto f = static_cast<float>(x);
        log_error = std::max(log_error, std::abs(fast_log2(f) - std::log2(static_cast<double>(f))));
    }
    for (double e = -100.0; e < 100.0; e += 0.00713) {
        const auto f = static_cast<float>(e);
        power_error = std::max(power_error, std::abs(fast_exp2(f) / std::exp2(static_cast<double>(f)) - 1.0));
    }
    CHECK(log_error < 8e-6);  // near 2^100 a float has steps of that size
    CHECK(power_error < 4e-7);
    for (const float e : {-130.0f, 130.0f}) CHECK(std::isfinite(fast_exp2(e)));
    for (double x = 0.01; x < 2.0; x += 0.0001) {
        REQUIRE(std::abs(fast_log2(static_cast<float>(x)) -
                         std::log2(static_cast<double>(static_cast<float>(x)))) < 4e-6);
    }
}

TEST_CASE("the sliding minimum is the minimum of the window", "[dsp]") {
    std::mt19937 random(9);
    for (const int window : {1, 2, 7, 72}) {
        SlidingMinimum minimum;
        minimum.prepare(window);
        std::vector<float> x;
        for (int i = 0; i < 2000; ++i) {
            x.push_back(static_cast<float>(random() % 50));
            float wanted = x.back();
            for (int k = 0; k < window && k < static_cast<int>(x.size()); ++k)
                wanted = std::min(wanted, x[x.size() - 1 - static_cast<size_t>(k)]);
            REQUIRE(minimum.next(x.back()) == wanted);
        }
    }
}

TEST_CASE("a delay line delays by whole samples, also by none", "[dsp]") {
    for (const int delay : {0, 1, 5, 480}) {
        DelayLine line;
        line.prepare(delay);
        for (int i = 0; i < 2000; ++i)
            REQUIRE(line.next(static_cast<float>(i)) == static_cast<float>(std::max(0, i - delay)));
    }
}

TEST_CASE(
    "a moving delay delays by what is set up to its longest, whatever the block, and after a reset anew",
    "[dsp]") {
    const auto x = noise(0.1, 0.2, 8);
    for (const int delay : {0, 1, 99, 100, 5000}) {
        for (const int block : {1, 32, 700, 4096}) {
            CrossfadeDelay line;
            line.prepare({48000, 1}, 100);
            line.snap(delay);
            AudioBuffer b = mono(x);
            const auto n = static_cast<size_t>(block);
            for (size_t i = 0; i < b.frames(); i += n)
                line.process(b.block(i, static_cast<int>(std::min(n, b.frames() - i))));
            const auto late = static_cast<size_t>(std::min(delay, 100));
            INFO("delay " << delay << ", blocks of " << block);
            CHECK(line.delay() == static_cast<int>(late));
            CHECK(std::equal(x.begin(), x.end() - static_cast<long>(late),
                             b[0].begin() + static_cast<long>(late)));
            CHECK(peak(b[0], 0, late) == 0.0);
            line.reset();
            AudioBuffer again = mono(x);
            line.process(again.block(0, 100));
            CHECK(peak(again[0], 0, late) == 0.0);
        }
    }
}

TEST_CASE("a frame adapter hands over whole frames and delays by one", "[dsp]") {
    FrameAdapter adapter;
    adapter.prepare(480);
    int frames = 0;
    float wanted = 0.0f;
    for (int i = 0; i < 5000; ++i) {
        const auto in = static_cast<float>(i);
        float out = -1.0f;
        adapter.process(&in, &out, 1, [&](float* frame) {
            ++frames;
            for (int k = 1; k < 480; ++k) REQUIRE(frame[k] == frame[k - 1] + 1.0f);
        });
        wanted = static_cast<float>(std::max(0, i - 480));
        REQUIRE(out == wanted);
    }
    CHECK(frames == 5000 / 480);
}

TEST_CASE("a smoothed value arrives, without overshoot, and then stands still", "[dsp]") {
    Smoothed s;
    s.prepare(48000, 0.005, 0.0);
    s.set(1.0);
    float before = 0.0f;
    for (int grain = 0; grain < 200; ++grain) {
        s.begin_sub_block();
        for (int i = 0; i < kSubBlock; ++i) {
            const float now = s.next();
            REQUIRE(now >= before - 1e-6f);
            REQUIRE(now <= 1.000001f);
            before = now;
        }
    }
    CHECK_FALSE(s.moving());
    CHECK(s.next() == 1.0f);
    CHECK(s.sub_block_value() == 1.0);
}

TEST_CASE("a filter goes from still to moving and back without a trace", "[dsp]") {
    // The same response throughout: gliding to where it already is must not change a thing.
    const Sections sections = design({FilterType::bell, 300, 9, 2, 12}, 48000);
    BiquadCascade still;
    BiquadCascade changing;
    still.snap(sections);
    changing.snap(sections);
    AudioBuffer a = mono(noise(0.3, 0.5, 3));
    AudioBuffer b = a;
    for (size_t i = 0; i + kSubBlock <= a.frames(); i += kSubBlock) {
        if ((i / kSubBlock) % 7 < 3)
            changing.glide(sections);
        else
            changing.hold();
        still.process(a.block(i, kSubBlock));
        changing.process(b.block(i, kSubBlock));
    }
    CHECK(db(largest_difference(a[0], b[0])) < -110.0);
}

TEST_CASE("still filters run together as they do one by one", "[dsp]") {
    std::vector<BiquadCascade> one(9);
    std::vector<BiquadCascade> all(9);
    BiquadCascade* together[9];
    for (size_t i = 0; i < 9; ++i) {
        const Sections s = design(
            {i == 0 ? FilterType::low_cut : FilterType::bell, 100.0 * (static_cast<double>(i) + 1), 3, 1, 24},
            48000);
        one[i].snap(s);
        all[i].snap(s);
        together[i] = &all[i];
    }
    AudioBuffer a = stereo(noise(0.2, 0.2, 1), noise(0.2, 0.2, 2));
    AudioBuffer b = a;
    for (size_t i = 0; i + kSubBlock <= a.frames(); i += kSubBlock) {
        for (auto& f : one) f.process(a.block(i, kSubBlock));
        BiquadCascade::process_still(together, 9, b.block(i, kSubBlock));
    }
    // One by one the sound is rounded to float in between.
    CHECK(db(largest_difference(a[0], b[0])) < -120.0);
    CHECK(db(largest_difference(a[1], b[1])) < -120.0);
}

TEST_CASE("peaks between samples are found, whatever the piece size", "[dsp]") {
    // A sine of a quarter of the rate at 45 degrees: samples at 0.707, peaks at 1 (EBU Tech 3341, case 16).
    const auto x = sine(12000, 1.0, 0.05, 48000, M_PI / 4);
    IntersamplePeak whole;
    IntersamplePeak pieces;
    std::mt19937 random(1);
    std::vector<float> a(x.size());
    std::vector<float> b(x.size());
    for (size_t i = 0; i < x.size(); i += kSubBlock)
        whole.process(&x[i], static_cast<int>(std::min<size_t>(kSubBlock, x.size() - i)), 0.0f, &a[i]);
    for (size_t i = 0; i < x.size();) {
        const auto n = std::min<size_t>(1 + random() % kSubBlock, x.size() - i);
        pieces.process(&x[i], static_cast<int>(n), 0.0f, &b[i]);
        i += n;
    }
    CHECK((a == b));
    CHECK(db(peak(a, 100)) == Approx(0.0).margin(0.2));
    CHECK(db(peak(x)) == Approx(-3.01).margin(0.01));
}

TEST_CASE("the detector reads a sine alike by peak and by RMS", "[dsp]") {
    AudioBuffer x = mono(sine(1000, 0.25, 0.5));
    for (const auto mode : {LevelDetector::Mode::peak, LevelDetector::Mode::rms}) {
        LevelDetector d;
        d.prepare(48000, 0.010);
        float highest = -200.0f;
        for (size_t i = 0; i + kSubBlock <= x.frames(); i += kSubBlock) {
            float level[kSubBlock];
            d.process(x.block(i, kSubBlock), mode, level);
            if (i > 12000) highest = std::max(highest, *std::max_element(level, level + kSubBlock));
        }
        CHECK(highest == Approx(-12.04).margin(0.3));
    }
}

TEST_CASE("the history ring gives what was written, or says that it is gone", "[dsp]") {
    HistoryRing ring(1, 1000);
    CHECK(ring.capacity() == 1024);
    AudioBuffer x(1, 300);
    for (int round = 0; round < 10; ++round) {
        for (size_t i = 0; i < 300; ++i) x[0][i] = static_cast<float>(round * 300 + static_cast<int>(i));
        ring.write(x.block(0, 300));
    }
    std::vector<float> out(1024);
    float* rows[1] = {out.data()};
    REQUIRE(ring.read(2500, 500, rows));
    for (int i = 0; i < 500; ++i) REQUIRE(out[static_cast<size_t>(i)] == static_cast<float>(2500 + i));
    CHECK_FALSE(ring.read(1000, 100, rows));  // overwritten
    CHECK_FALSE(ring.read(2990, 100, rows));  // not there yet
    CHECK_FALSE(ring.read(-5, 10, rows));
    CHECK_FALSE(ring.read(0, 2000, rows));  // longer than the ring
}

TEST_CASE("a reader of the history ring never sees a mixture, however fast the writer", "[dsp]") {
    constexpr std::int64_t kTurn = 1 << 23;  // floats count exactly up to 2^24
    HistoryRing ring(1, 65536);
    std::atomic<bool> quit{false};
    std::thread writer([&] {
        AudioBuffer x(1, 64);
        for (std::int64_t at = 0; !quit; at += 64) {
            for (size_t i = 0; i < 64; ++i)
                x[0][i] = static_cast<float>((at + static_cast<std::int64_t>(i)) % kTurn);
            ring.write(x.block(0, 64));
        }
    });
    std::vector<float> out(16384);
    float* rows[1] = {out.data()};
    int good = 0;
    bool mixed = false;
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(5);
    while (good < 500 && !mixed && std::chrono::steady_clock::now() < end) {
        // Half of the reads begin at the very edge of what is still there.
        const std::int64_t first = ring.written() - (good % 2 == 0 ? 16384 : 65000);
        if (first < 0 || !ring.read(first, 16384, rows)) continue;
        ++good;
        for (int k = 0; k < 16384; ++k)
            mixed = mixed || out[static_cast<size_t>(k)] != static_cast<float>((first + k) % kTurn);
    }
    quit = true;
    writer.join();
    CHECK_FALSE(mixed);
    CHECK(good > 0);
}
