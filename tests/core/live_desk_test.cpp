// The desk fed by sources in their own time, each on a thread of its own.
#include <catch2/catch.hpp>
#include <cmath>
#include <thread>

#include "devices/paced_thread.h"
#include "mixer/live_mixer.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

struct Sink final : FeedSink {
    void take(const AudioBlock& block, bool) noexcept override {
        for (int i = 0; i < block.frames && frames < sound.size(); ++i) sound[frames++] = block[0][i];
        written = static_cast<std::int64_t>(frames);
    }
    void push() noexcept override { ++pushed; }
    std::vector<float> sound = std::vector<float>(240000);
    size_t frames = 0;
    std::atomic<std::int64_t> written{0};
    std::atomic<int> pushed{0};
};

std::shared_ptr<LiveStrip> seat(LiveMixer& desk, const std::string& id, const StreamFormat& source,
                                bool steady, int channels = 1, const ChainSpec& chain = {}) {
    auto strip = desk.make(id, StripRole::voice);
    auto prepared = Engine::prepare({48000, channels}, chain);
    REQUIRE(prepared.ok());
    strip->open(std::move(prepared.value()));
    strip->expect(source, steady);
    return strip;
}

/// Gives a strip blocks by hand, as its source's thread would.
void give(LiveStrip& strip, std::vector<float>& sound, size_t at, int frames) {
    AudioBlock block{{sound.data() + at, nullptr}, 1, frames};
    strip.process(block);
    strip.take(block, false);
    strip.push();
}

}  // namespace

TEST_CASE("one strip leads, the others hand over, and all of them are in the sum", "[desk][engine]") {
    LiveMixer desk;
    REQUIRE(desk.open({48000, 1}).ok());
    Sink sink, own;
    desk.set_sink(&sink);
    const auto a = seat(desk, "a", {48000, 1}, true), b = seat(desk, "b", {48000, 1}, true);
    b->set_output(&own);
    desk.arrange({a, b}, {0, 1});
    auto first = sine(500, 0.1, 1.0), second = sine(900, 0.1, 1.0);
    const auto plain = second;
    for (size_t i = 0; i + 256 <= first.size(); i += 256) {
        give(*a, first, i, 256);
        give(*b, second, i, 256);
    }
    CHECK(sink.written == 48000 / 256 * 256);  // once a cycle, not once a strip
    CHECK(sink.pushed == 48000 / 256);
    CHECK(tone_amplitude(sink.sound, 500, 48000, 0) > 0.0);
    const std::vector<float> heard(sink.sound.begin() + 4800, sink.sound.begin() + 45000);
    CHECK(tone_amplitude(heard, 500, 48000) == Approx(0.1).margin(0.002));
    CHECK(tone_amplitude(heard, 900, 48000) == Approx(0.1).margin(0.002));
    // What the other one gives is taken on its own as well, a block late and whole.
    CHECK(largest_difference({own.sound.begin() + 256, own.sound.begin() + 40000},
                             {plain.begin(), plain.begin() + 39744}) < 1e-6);
    CHECK(b->missed() == 0);
    CHECK(desk.load().blocks() == 48000 / 256);
}

TEST_CASE(
    "another strip leads when the leader has fallen silent, and a steady one before one in its own time",
    "[desk][engine]") {
    LiveMixer desk;
    REQUIRE(desk.open({48000, 1}).ok());
    Sink sink;
    desk.set_sink(&sink);
    const auto file = seat(desk, "file", {48000, 1}, false), mic = seat(desk, "mic", {48000, 1}, true);
    desk.arrange({file, mic}, {0, 1});
    auto sound = sine(500, 0.1, 1.0), quiet = silence(1.0);
    give(*file, sound, 0, 256);
    CHECK(sink.written == 256);
    CHECK(sink.pushed == 0);  // only who comes in the feed's cycle pushes it on
    give(*mic, quiet, 0, 256);
    CHECK(sink.written == 512);  // the steady one leads at once
    CHECK(sink.pushed == 1);
    give(*file, sound, 256, 256);
    CHECK(sink.written == 512);
    // The microphone is pulled out: after a tenth of a second the file leads.
    size_t at = 512;
    while (sink.written == 512 && at + 256 < sound.size()) {
        give(*file, sound, at, 256);
        at += 256;
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    }
    CHECK(sink.written > 512);
    // It is back, and leads.
    give(*mic, quiet, 256, 256);
    const std::int64_t now = sink.written;
    give(*file, sound, at, 256);
    CHECK(sink.written == now);
    // One that is taken off the desk leads no more.
    desk.arrange({file}, {0});
    give(*file, sound, at, 256);
    CHECK(sink.written == now + 256);
}

TEST_CASE("a source of another rate or other channels is fitted to its strip", "[desk][engine]") {
    LiveMixer desk;
    REQUIRE(desk.open({48000, 1}).ok());
    Sink sink;
    desk.set_sink(&sink);
    const auto a = seat(desk, "a", {44100, 2}, true, 1);
    desk.arrange({a}, {0});
    auto left = sine(1000, 0.1, 1.0, 44100);
    auto right = left;
    for (size_t i = 0; i + 441 <= left.size(); i += 441) {
        AudioBlock block{{left.data() + i, right.data() + i}, 2, 441};
        a->process(block);
    }
    CHECK(std::abs(sink.written - 48000) < 500);
    const std::vector<float> heard(sink.sound.begin() + 4800, sink.sound.begin() + 45000);
    CHECK(tone_amplitude(heard, 1000, 48000) == Approx(0.1).margin(0.001));
}

TEST_CASE("sources on threads of their own, strips that come and go, and a sink that changes",
          "[desk][engine]") {
    LiveMixer desk;
    REQUIRE(desk.open({48000, 1}).ok());
    Sink one, two;
    desk.set_sink(&one);
    const auto a = seat(desk, "a", {48000, 1}, false);
    desk.arrange({a}, {0});
    const auto fill = [](const AudioBlock& block) {
        for (int i = 0; i < block.frames; ++i) block[0][i] = 0.01f;
    };
    PacedThread first;
    first.start({48000, 1}, 64, fill, *a, a.get());
    for (int round = 0; round < 8; ++round) {
        const auto b = seat(desk, "b", {48000, 1}, false);
        desk.arrange({a, b}, {0, 1});
        PacedThread second;
        second.start({48000, 1}, 96, fill, *b, b.get());
        const std::int64_t from = desk.feed_history()->written();
        while (desk.feed_history()->written() < from + 2000) std::this_thread::yield();
        second.stop();
        desk.arrange({a}, {0});
        desk.set_sink(round % 2 == 0 ? &two : &one);
        desk.settle();
        desk.tend();
    }
    first.stop();
    CHECK(one.written > 0);
    CHECK(two.written > 0);
}

TEST_CASE("what comes into a strip is given beside it as late as it, and silent while it is muted",
          "[desk][engine]") {
    LiveMixer desk;
    REQUIRE(desk.open({48000, 1}).ok());
    Sink sum, own, plain;
    desk.set_sink(&sum);
    const ChainSpec late = chain_of({stage("gain", {{"gain", 6}}), stage("limiter", {{"lookahead", 5}})});
    const auto a = seat(desk, "a", {48000, 1}, true, 1, late), b = seat(desk, "b", {48000, 1}, true);
    a->set_output(&own);
    a->set_plain_output(&plain);
    desk.arrange({a, b}, {0, 1});
    auto words = sine(500, 0.1, 2.0), other = silence(2.0);
    const auto before = words;
    for (size_t i = 0; i + 256 <= words.size(); i += 256) {
        if (i == 48128) a->engine().set_mute(true);
        give(*a, words, i, 256);
        give(*b, other, i, 256);
    }
    REQUIRE(plain.frames == own.frames);
    const auto wait = static_cast<size_t>(desk.desk().voices_latency());
    CHECK(wait > 0);
    float off = 0.0f, doubled = 0.0f;
    for (size_t i = 9600; i < 48000; ++i) {
        off = std::max(off, std::abs(plain.sound[i] - before[i - wait]));
        doubled = std::max(doubled, std::abs(own.sound[i] - 1.9953f * plain.sound[i]));
    }
    CHECK(off == 0.0f);
    CHECK(doubled < 2e-4f);
    CHECK(peak(plain.sound, 60000, 30000) == 0.0);
    // A step of nothing more than a tone of this level makes by itself: no click.
    double steepest = 0.0;
    for (size_t i = 48000; i < 60000; ++i)
        steepest = std::max(steepest, static_cast<double>(std::abs(plain.sound[i] - plain.sound[i - 1])));
    CHECK(steepest < 0.1 * 2.0 * M_PI * 500.0 / 48000.0 * 1.2);
}

TEST_CASE("an output delay delays every output to the sample, and a mute empties it", "[desk][engine]") {
    LiveMixer desk;
    REQUIRE(desk.open({48000, 1}).ok());
    desk.set_output_delay(250.0);
    Sink sum, own, plain;
    desk.set_sink(&sum);
    const auto a = seat(desk, "a", {48000, 1}, true), b = seat(desk, "b", {48000, 1}, true);
    a->set_output(&own);
    a->set_plain_output(&plain);
    desk.arrange({a, b}, {0, 1});
    auto words = noise(0.05, 4.0, 3), other = silence(4.0);
    const auto before = words;
    const auto run = [&](size_t from, size_t to) {
        for (size_t i = from; i < to; i += 256) {
            give(*a, words, i, 256);
            give(*b, other, i, 256);
        }
    };
    run(0, 76800);
    const size_t delay = 12000, wait = static_cast<size_t>(desk.desk().voices_latency());
    const auto limited = delay + static_cast<size_t>(desk.latency());
    float off = 0.0f;
    for (size_t i = 24000; i < 76800; ++i) {
        off = std::max({off, std::abs(own.sound[i] - before[i - delay - wait]),
                        std::abs(plain.sound[i] - before[i - delay - wait]),
                        std::abs(sum.sound[i] - before[i - limited])});
    }
    CHECK(off < 1e-6f);
    // The histories, and so all that is measured, are not delayed.
    CHECK(desk.feed_history()->written() == 76800);
    // Muted: at once, though the delay still holds a quarter of a second of words, and for good.
    a->engine().set_mute(true);
    run(76800, 76800 + 2560);
    a->engine().set_mute(false);
    run(76800 + 2560, 153600);
    const size_t faded = 76800 + 600, back = 76800 + 2560 + delay;
    for (const Sink* s : {&own, &plain, &sum}) {
        CHECK(peak(s->sound, faded, back - 600 - faded) == 0.0);
        CHECK(rms(s->sound, back + 2400, 12000) == Approx(0.05).margin(0.003));
    }
    // A longer delay plays nothing a second time, a shorter one is cross-faded.
    desk.set_output_delay(500.0);
    run(153600, 166400);
    for (const Sink* s : {&own, &plain, &sum}) CHECK(peak(s->sound, 153600 + 600, 12000) == 0.0);
    desk.set_output_delay(0.0);
    run(166400, 179200);
    for (size_t i = 178900; i < 179200; ++i) off = std::max(off, std::abs(own.sound[i] - before[i - wait]));
    CHECK(off < 1e-6f);
    // What an output held when it was taken away is not heard when it comes back.
    desk.set_output_delay(100.0);
    run(179200, 186880);
    desk.set_sink(nullptr);
    a->set_output(nullptr);
    run(186880, 188160);
    const size_t then = own.frames;
    desk.set_sink(&sum);
    a->set_output(&own);
    run(188160, 191744);
    CHECK(peak(own.sound, then + 600, 2900) == 0.0);
    desk.set_output_delay(std::nan(""));
    CHECK(desk.output_delay() == 100.0);
    desk.set_output_delay(5000.0);
    CHECK(desk.output_delay() == LiveMixer::kLongestOutputDelay);
}

TEST_CASE("a latency that grows while the strip is muted brings no words back unprocessed",
          "[desk][engine]") {
    LiveMixer desk;
    REQUIRE(desk.open({48000, 1}).ok());
    Sink sum, plain;
    desk.set_sink(&sum);
    const auto a = seat(desk, "a", {48000, 1}, true);
    a->set_plain_output(&plain);
    desk.arrange({a}, {0});
    auto words = noise(0.05, 2.0, 3);
    const auto run = [&](size_t from, size_t to) {
        for (size_t i = from; i < to; i += 256) give(*a, words, i, 256);
    };
    run(0, 25600);
    CHECK(rms(plain.sound, 12000, 12000) > 0.04);
    a->engine().set_mute(true);
    run(25600, 26368);
    ChainSpec later = chain_of({});
    later.least_latency = 200.0;
    REQUIRE(a->engine().chain().follow(later).ok());
    while (!a->engine().chain().settled()) std::this_thread::yield();
    run(26368, 64000);
    CHECK(desk.latency() == 9600);
    CHECK(peak(plain.sound, 26368, 30000) == 0.0);
    CHECK(peak(sum.sound, 26368, 30000) == 0.0);
}
