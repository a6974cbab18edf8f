#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <limits>
#include <thread>

#include "base/decibel.h"
#include "devices/file_device.h"
#include "devices/simulated_room.h"
#include "engine/meter_reader.h"
#include "engine/render.h"
#include "support/realtime_guard.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

void wait_settled(const Engine& engine) {
    for (int i = 0; i < 2000 && !engine.chain().settled(); ++i)
        std::this_thread::sleep_for(std::chrono::milliseconds(2));
    REQUIRE(engine.chain().settled());
}

/// Pushes sound through the engine in blocks of 256; returns what comes out.
std::vector<float> push(Engine& engine, const std::vector<float>& in) {
    AudioBuffer work = mono(in);
    for (size_t i = 0; i < in.size(); i += 256) {
        engine.process(work.block(i, static_cast<int>(std::min<size_t>(256, in.size() - i))));
    }
    return work[0];
}

double third_difference(const std::vector<float>& x, size_t first) {
    double largest = 0.0;
    for (size_t i = first; i + 3 < x.size(); ++i) {
        largest = std::max(largest, std::abs(x[i + 3] - 3.0 * x[i + 2] + 3.0 * x[i + 1] - x[i]));
    }
    return largest;
}

}  // namespace

TEST_CASE("a change of values reaches the running chain", "[engine]") {
    Engine engine;
    ChainSpec spec = chain_of({stage("gain")});
    REQUIRE(engine.open({48000, 1}, spec).ok());
    push(engine, sine(200, 0.1, 0.5));
    spec.stages[0].set("gain", -20);
    REQUIRE(engine.chain().follow(spec).ok());
    wait_settled(engine);
    const auto out = push(engine, sine(200, 0.1, 0.5));
    CHECK(rms(out, 12000) == Approx(0.01 / std::sqrt(2.0)).epsilon(0.01));
}

TEST_CASE("a new order cross-fades without a click and takes over", "[engine]") {
    Engine engine;
    ChainSpec spec = chain_of({stage("gain"), stage("limiter")});
    REQUIRE(engine.open({48000, 1}, spec).ok());
    auto sound = push(engine, sine(100, 0.2, 1.0));
    spec.stages.push_back(stage("compressor", {{"threshold", -40}, {"ratio", 10}, {"lookahead", 5}}));
    const auto before = engine.chain().sounding();
    REQUIRE(engine.chain().follow(spec).ok());
    wait_settled(engine);
    std::vector<float> next = sine(100, 0.2, 2.0);
    append(sound, push(engine, std::vector<float>(next.begin() + 0, next.end())));
    CHECK(engine.chain().sounding() != before);
    CHECK(rms(sound, 96000) < 0.6 * rms(sound, 24000, 24000));
    CHECK(db(third_difference(sound, 4800) / 0.8) < -75.0);
}

TEST_CASE("an invalid chain is refused and the old one goes on", "[engine]") {
    Engine engine;
    ChainSpec spec = chain_of({stage("gain")});
    REQUIRE(engine.open({48000, 1}, spec).ok());
    spec.stages[0].values[0] = 99;
    const auto refused = engine.chain().follow(spec);
    REQUIRE_FALSE(refused.ok());
    CHECK_THAT(refused.error().text(), Catch::Contains("Gain 99.0 dB is outside -30.0 dB to 30.0 dB"));
    CHECK(rms(push(engine, sine(200, 0.1, 0.2)), 4800) == Approx(0.0707).epsilon(0.01));
}

TEST_CASE("mute silences the feed with a fade and lets it back", "[engine]") {
    Engine engine;
    REQUIRE(engine.open({48000, 1}, {}).ok());
    auto out = push(engine, sine(100, 0.5, 0.5));
    engine.set_mute(true);
    const auto muted = push(engine, sine(100, 0.5, 0.5));
    CHECK(peak(muted, 490) == 0.0);  // within 10 ms
    append(out, muted);
    CHECK(db(third_difference(out, 100) / 2.0) < -75.0);
    engine.set_mute(false);
    const auto again = push(engine, sine(100, 0.5, 0.5));
    CHECK(rms(again, 12000) == Approx(0.3536).epsilon(0.01));
    append(out, again);
    CHECK(db(third_difference(out, 100) / 2.0) < -75.0);
}

TEST_CASE("a mute that is taken back in the middle of its fade goes on from there, without a click",
          "[engine]") {
    Engine engine;
    REQUIRE(engine.open({48000, 1}, {}).ok());
    const auto tone = sine(100, 0.5, 1.0);
    std::vector<float> out;
    for (size_t at = 0; at + 240 <= tone.size(); at += 240) {
        if (at == 12000) engine.set_mute(true);
        if (at == 12240) engine.set_mute(false);
        append(out, push(engine,
                         {tone.begin() + static_cast<long>(at), tone.begin() + static_cast<long>(at) + 240}));
    }
    CHECK(db(third_difference(out, 100) / 2.0) < -70.0);
    CHECK(out[14400] == tone[14400]);
}

TEST_CASE("levels that are no numbers change nothing, and what is no number never leaves", "[engine]") {
    const double nan = std::numeric_limits<double>::quiet_NaN(),
                 infinite = std::numeric_limits<double>::infinity();
    const auto tone = sine(200, 0.1, 0.2);
    Engine engine;
    REQUIRE(engine.open({48000, 1}, chain_of({stage("gain")})).ok());
    engine.set_fader(-6.0);
    MonitorSettings monitor;
    monitor.source = MonitorSource::removed;
    engine.set_monitor(monitor);
    const double before = rms(push(engine, tone), 4800);
    for (const double bad : {nan, infinite, -infinite}) {
        INFO(bad);
        engine.set_fader(bad);
        monitor.volume_db = monitor.bass_db = bad;
        engine.set_monitor(monitor);
        ChainSpec spec = chain_of({stage("gain")});
        spec.stages[0].values[0] = bad;
        CHECK_FALSE(engine.chain().follow(spec).ok());
        CHECK(rms(push(engine, tone), 4800) == Approx(before));
        // In the input: that block is silent at most, and the next ones are whole, in the headphones too.
        auto broken = tone;
        broken[1000] = static_cast<float>(bad);
        const auto out = push(engine, broken);
        for (const float v : out) REQUIRE(std::isfinite(v));
        CHECK(rms(push(engine, tone), 4800) == Approx(before));
        std::vector<float> heard(4800);
        float* rows[2] = {heard.data(), nullptr};
        const auto ears = engine.monitor_history();
        REQUIRE(ears->read(ears->written() - 4800, 4800, rows));
        for (const float v : heard) REQUIRE(std::isfinite(v));
    }
}

TEST_CASE("the engine's process neither allocates nor locks, even while chains change", "[engine]") {
    Engine engine;
    ChainSpec spec = chain_of({stage("gain"), stage("gate"), stage("limiter")});
    REQUIRE(engine.open({48000, 1}, spec).ok());
    AudioBuffer work = mono(noise(0.1, 0.01, 1));
    int allocations = 0;
    int locks = 0;
    for (int round = 0; round < 400; ++round) {
        if (round % 80 == 40) {
            spec.stages.insert(spec.stages.begin(), new_stage(spec, *find_stage_kind("equalizer")));
            REQUIRE(engine.chain().follow(spec, Fade::scene).ok());
            wait_settled(engine);
        }
        const RealtimeGuard guard;
        engine.process(work.block(0, 480));
        allocations += guard.allocations();
        locks += guard.locks();
    }
    CHECK(allocations == 0);
    CHECK(locks == 0);
}

TEST_CASE("many changes in a row end in the last one", "[engine]") {
    Engine engine;
    ChainSpec spec = chain_of({stage("gain")});
    REQUIRE(engine.open({48000, 1}, spec).ok());
    for (int i = 0; i < 30; ++i) {
        ChainSpec next = spec;
        if (i % 2 == 0) next.stages.push_back(new_stage(next, *find_stage_kind("limiter")));
        next.stages[0].set("gain", -i);
        REQUIRE(engine.chain().follow(next).ok());
        push(engine, sine(200, 0.5, 0.02));
    }
    wait_settled(engine);
    // A builder that was held up has left as much to catch up with as was pushed meanwhile, once for each of
    // the two chains that may still be on their way.
    push(engine, sine(200, 0.5, 3.0));
    const auto out = push(engine, sine(200, 0.5, 0.5));
    CHECK(db(rms(out) / rms(sine(200, 0.5, 0.5))) == Approx(-29.0).margin(0.1));
}

TEST_CASE("clipping at the source is counted in runs, single peaks are not", "[engine]") {
    Engine engine;
    REQUIRE(engine.open({48000, 1}, {}).ok());
    std::vector<float> in = silence(0.1);
    in[100] = 1.0f;
    in[500] = in[501] = -1.0f;
    for (size_t i = 1000; i < 1006; ++i) in[i] = 1.0f;
    push(engine, in);
    CHECK(engine.figures().clipped == 6);
}

TEST_CASE("a chain that is rebuilt knows the room at once", "[engine]") {
    Engine engine;
    MeterReader readings(engine);
    ChainSpec spec = chain_of({stage("gain")});
    REQUIRE(engine.open({48000, 1}, spec).ok());
    std::vector<float> in;
    for (int i = 0; i < 5; ++i) {
        append(in, noise(0.001, 0.8, 10u + static_cast<unsigned>(i)));
        append(in, mix(sine(300, 0.2, 0.8), noise(0.001, 0.8, 20)));
    }
    for (size_t i = 0; i < in.size(); i += 4800) {
        push(engine, std::vector<float>(in.begin() + static_cast<long>(i),
                                        in.begin() + static_cast<long>(std::min(in.size(), i + 4800))));
        readings.poll();
    }
    REQUIRE(readings.fits(1));
    const double room = readings.levels().taps[1].room;
    CHECK(room == Approx(-57.0).margin(1.0));  // 0.001 RMS on the AES17 scale
    CHECK(readings.levels().taps[0].voice == Approx(-14.0).margin(1.0));
    spec.stages.push_back(stage("limiter"));
    REQUIRE(engine.chain().follow(spec).ok());
    wait_settled(engine);
    for (int i = 0; i < 40; ++i) {
        push(engine, noise(0.001, 0.01, 30));
        readings.poll();
    }
    REQUIRE(readings.fits(2));
    CHECK(readings.levels().taps[2].room_known);
    CHECK(readings.levels().taps[2].voice_known);
    CHECK(readings.levels().taps[2].room == Approx(room).margin(1.5));
}

TEST_CASE("the simulated room plays in real time and obeys its controls", "[engine]") {
    auto room = SimulatedRoom::create(REED_DEMO_DATA);
    REQUIRE(room.ok());
    const auto level = [&](double effort, double lathe) {
        room.value()->set(kRoomEffort, effort);
        room.value()->set(kRoomDehumidifier, 0);
        room.value()->set(kRoomLathe, lathe);
        AudioBuffer out(1, 48000 * 8);
        for (size_t i = 0; i < out.frames(); i += 4800) room.value()->fill(out.block(i, 4800));
        return db(rms(out[0], 48000));
    };
    CHECK(level(0, 0) < -140.0);
    CHECK(level(1, 0) < level(2, 0) - 3.0);  // whisper below quiet
    CHECK(level(2, 0) < level(3, 0) - 3.0);
    CHECK(level(3, 0) < level(5, 0) - 6.0);  // talk below shout
    CHECK(level(0, 100) == Approx(-36.0).margin(1.5));
    CHECK(level(0, 50) == Approx(-46.0).margin(1.5));

    struct Counter final : AudioCallback {
        std::atomic<int> frames{0};
        void process(const AudioBlock& b) noexcept override { frames += b.frames; }
    } counter;
    REQUIRE(room.value()->start(counter).ok());
    const auto begun = std::chrono::steady_clock::now();
    while (counter.frames < 24000) std::this_thread::sleep_for(std::chrono::milliseconds(1));
    // Never ahead of real time by more than a block; how far behind says something about the machine only.
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - begun;
    CHECK(took.count() > 0.5 - 2 * 1024 / 48000.0);
    room.value()->stop();
    const int got = counter.frames;
    CHECK(counter.frames == got);
}

namespace {

/// The feed of an empty chain behind a file device, once `frames` frames have come.
std::vector<float> heard_from(FileDevice& device, int frames) {
    Engine engine;
    REQUIRE(engine.open(device.format(), {}).ok());
    REQUIRE(device.start(engine).ok());
    std::vector<float> heard(static_cast<size_t>(frames));
    std::int64_t taken = 0;
    while (taken < frames) {
        const auto n =
            static_cast<int>(std::min<std::int64_t>(engine.feed_history()->written(), frames) - taken);
        float* rows[2] = {heard.data() + taken, nullptr};
        if (n > 0) REQUIRE(engine.feed_history()->read(taken, n, rows));
        taken += n;
        std::this_thread::sleep_for(std::chrono::milliseconds(1));
    }
    device.stop();
    return heard;
}

double resident_mb() {
    double all = 0.0;
    double resident = 0.0;
    std::ifstream("/proc/self/statm") >> all >> resident;
    return resident * 4096.0 / 1e6;
}

}  // namespace

TEST_CASE("a sound file longer than what is read ahead comes out as it is", "[engine]") {
    const TemporaryFolder folder;
    const auto sound = noise(0.1, 1.3, 3);
    write_wav(folder.path("long.wav"), mono(sound), 44100);
    auto device = FileDevice::create(folder.path("long.wav"));
    REQUIRE(device.ok());
    // Twice around, and more than the two seconds in hand.
    const auto heard = heard_from(*device.value(), static_cast<int>(2 * sound.size() + 30000));
    // A machine that is held up leaves out time, never sound.
    size_t at = 0;
    size_t wrong = 0;
    for (const float x : heard) {
        if (x == sound[at % sound.size()])
            ++at;
        else
            ++wrong;
    }
    INFO(device.value()->status().dropouts << " dropouts");
    CHECK(wrong <= 256 * device.value()->status().dropouts);
    CHECK(device.value()->status().problem.empty());
}

TEST_CASE("a long sound file is not held in memory", "[engine]") {
    const TemporaryFolder folder;
    // Half an hour at 192 kHz and 16 bits: 691 MB, of which the disk holds the beginning only.
    write_wav(folder.path("hours.wav"), mono(silence(0.1)), 192000);
    constexpr std::uint32_t kBytes = 1800U * 192000U * 2U;
    const auto head = [](std::uint32_t v) {
        return std::string{static_cast<char>(v), static_cast<char>(v >> 8), static_cast<char>(v >> 16),
                           static_cast<char>(v >> 24)};
    };
    std::ofstream(folder.path("hours.wav"), std::ios::binary)
        << "RIFF" << head(kBytes + 36) << "WAVEfmt " << head(16) << std::string("\1\0\1\0", 4) << head(192000)
        << head(384000) << std::string("\2\0\20\0", 4) << "data" << head(kBytes);
    std::filesystem::resize_file(folder.path("hours.wav"), kBytes + 44);
    write_wav(folder.path("short.wav"), mono(silence(0.1, 192000)), 192000);
    auto brief = FileDevice::create(folder.path("short.wav"));
    REQUIRE(brief.ok());
    (void)heard_from(*brief.value(), 192000);
    const double before = resident_mb();
    auto device = FileDevice::create(folder.path("hours.wav"));
    REQUIRE(device.ok());
    CHECK(device.value()->format() == StreamFormat{192000, 1});
    CHECK(heard_from(*device.value(), 192000).size() == 192000);
    CHECK(resident_mb() - before < 50.0);
}

TEST_CASE("a sound file that goes away while it plays is told, and taken up when it is back", "[engine]") {
    const TemporaryFolder folder;
    write_wav(folder.path("a.wav"), mono(noise(0.1, 0.2, 3)));
    auto device = FileDevice::create(folder.path("a.wav"));
    REQUIRE(device.ok());
    Engine engine;
    REQUIRE(engine.open(device.value()->format(), {}).ok());
    REQUIRE(device.value()->start(engine).ok());
    const auto until_problem = [&](const std::string& words) {
        while (words.empty() != device.value()->status().problem.empty() ||
               device.value()->status().problem.find(words) == std::string::npos)
            std::this_thread::sleep_for(std::chrono::milliseconds(1));
        return true;
    };
    CHECK(until_problem(""));
    std::filesystem::rename(folder.path("a.wav"), folder.path("b.wav"));
    CHECK(until_problem("a.wav doesn't exist"));
    CHECK(device.value()->status().waiting);
    write_wav(folder.path("a.wav"), mono(noise(0.1, 0.2, 3)), 44100);
    CHECK(until_problem("now has another sample rate"));
    std::filesystem::rename(folder.path("b.wav"), folder.path("a.wav"));
    CHECK(until_problem(""));
    device.value()->stop();
}

TEST_CASE("a sound file stands in for the microphone, in a loop", "[engine]") {
    const TemporaryFolder folder;
    write_wav(folder.path("a.wav"), mono(sine(400, 0.5, 0.05, 44100)), 44100);
    auto device = FileDevice::create(folder.path("a.wav"));
    REQUIRE(device.ok());
    CHECK(device.value()->format() == StreamFormat{44100, 1});
    // A machine that gives no time leaves a gap, which is counted: then it is heard once more.
    std::unique_ptr<Engine> engine;
    for (int round = 0; round == 0 || (round < 50 && device.value()->status().dropouts > 0); ++round) {
        engine = std::make_unique<Engine>();
        REQUIRE(engine->open(device.value()->format(), {}).ok());
        if (round > 0) device = FileDevice::create(folder.path("a.wav"));
        REQUIRE(device.value()->start(*engine).ok());
        while (engine->feed_history()->written() < 10000)
            std::this_thread::sleep_for(std::chrono::milliseconds(1));
        device.value()->stop();
    }
    // Over and over without a gap: 2205 frames a round, blocks of 256.
    const auto file = read_sound(folder.path("a.wav")).value();
    std::vector<float> heard(10000);
    float* rows[2] = {heard.data(), nullptr};
    REQUIRE(engine->feed_history()->read(0, 10000, rows));
    double worst = 0.0;
    for (size_t i = 0; i < heard.size(); ++i)
        worst = std::max<double>(worst, std::abs(heard[i] - file[0][i % file.frames()]));
    CHECK(worst == 0.0);
    CHECK_FALSE(FileDevice::create(folder.path("none.wav")).ok());
    write_wav(folder.path("low.wav"), mono(sine(400, 0.5, 0.05, 8000)), 8000);
    CHECK_THAT(FileDevice::create(folder.path("low.wav")).error().text(), Catch::Contains("8000 Hz"));
}

TEST_CASE("a sink gets what the engine made of every block, and each cycle is pushed on", "[devices]") {
    struct Sink final : FeedSink {
        void take(const AudioBlock& block, bool converted) noexcept override {
            if (converted || taken != pushed) ++wrong;
            ++taken;
            for (int i = 0; i < block.frames && frames < sound.size(); ++i) sound[frames++] = block[0][i];
        }
        void push() noexcept override { ++pushed; }
        std::vector<float> sound = std::vector<float>(24000);
        size_t frames = 0;
        int taken = 0, pushed = 0, wrong = 0;
    };
    const TemporaryFolder folder;
    const auto tone = sine(500, 0.1, 1.0);
    write_wav(folder.path("tone.wav"), mono(tone));
    auto device = FileDevice::create(folder.path("tone.wav"));
    REQUIRE(device.ok());
    Engine engine;
    REQUIRE(engine.open(device.value()->format(), chain_of({stage("gain", {{"gain", 6}})})).ok());
    Sink sink;
    REQUIRE(device.value()->start(engine, &sink).ok());
    const auto input = engine.input_history();
    while (input->written() < 24576) std::this_thread::yield();
    device.value()->stop();
    CHECK(sink.wrong == 0);
    CHECK(sink.taken == sink.pushed);
    CHECK(sink.frames == 24000);
    for (size_t i = 0; i < sink.frames; i += 97)
        CHECK(sink.sound[i] == Approx(tone[i] * std::pow(10.0, 0.3)).margin(1e-5));
}
