// What comes out of the virtual microphone and the monitor, against a real PipeWire daemon.
#include <pthread.h>
#include <sched.h>

#include <atomic>
#include <catch2/catch.hpp>
#include <cmath>

#include "devices/monitor_output.h"
#include "devices/pipewire_device.h"
#include "engine/engine.h"
#include "live/listening.h"
#include "support/command.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("words spoken into a microphone come out of Dusky Reed as the offline render has them", "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");

    PipeWireGraph graph;
    REQUIRE(graph.settle());
    REQUIRE(graph.picture().sources.size() == 1);
    CHECK(graph.picture().sources[0].name == "desk_mic");
    CHECK(graph.picture().sources[0].title == "Desk microphone");

    PipeWireOptions missing;
    missing.source = "not_there";
    CHECK_THAT(PipeWireDevice::create(missing).error().text(), Catch::Contains("isn't connected"));

    PipeWireOptions options;
    options.source = "desk_mic";
    options.block = 1024;
    auto made = PipeWireDevice::create(options);
    REQUIRE(made.ok());
    SoundSource& device = *made.value();
    Engine engine;
    // Stages that soon forget, so that a lost cycle spoils little of what follows.
    const ChainSpec chain = chain_of(
        {stage("gain", {{"gain", -4}}),
         stage("gate", {{"open_threshold", -50}, {"close_threshold", -60}, {"hold", 20}, {"release", 30}}),
         stage("equalizer", {{"band2_gain", 3}, {"band3_gain", -4}}),
         stage("compressor", {{"threshold", -20}, {"release", 30}}), stage("limiter", {{"release", 30}})});
    REQUIRE(engine.open(device.format(), chain).ok());
    REQUIRE(device.start(engine).ok());
    REQUIRE(daemon.wait_for_node("dusky-reed"));
    CHECK(daemon.dump().find("\"media.class\": \"Audio/Source/Virtual\"") != std::string::npos);
    // Our own virtual microphone is not offered as an input.
    CHECK(graph.picture().sources.size() == 1);

    const auto spoken = played(some_words());
    const std::string file = daemon.folder() + "/spoken.wav";
    write_wav(file, mono(spoken));
    require_equal(
        [&] {
            const auto got = record_while_playing(daemon, device, file, "dusky-reed:capture_MONO");
            CHECK(device.status().running);
            CHECK(device.status().problem.empty());
            // After twelve of the chain's longest time constants, 30 ms, nothing of before is left above -100
            // dB.
            return judge(got.plain, got.heard, run(chain, got.plain), spoken, {30000, 4800, 24000, -100.0});
        },
        8);
    device.stop();
}

TEST_CASE("sound is made at real-time priority where the machine grants it", "[live]") {
    struct Asking : AudioCallback {
        void process(const AudioBlock&) noexcept override {
            sched_param priority{};
            int policy = SCHED_OTHER;
            pthread_getschedparam(pthread_self(), &policy, &priority);
            seen = policy;
        }
        std::atomic<int> seen{-1};
    } asking;
    int granted = -1;
    std::thread([&] {
        const sched_param lowest{sched_get_priority_min(SCHED_FIFO)};
        granted = pthread_setschedparam(pthread_self(), SCHED_FIFO, &lowest);
    }).join();
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    PipeWireOptions options;
    options.source = "desk_mic";
    auto made = PipeWireDevice::create(options);
    REQUIRE(made.ok());
    REQUIRE(made.value()->start(asking).ok());
    const int recorder = daemon.record(daemon.folder() + "/used.wav", "dusky-reed");
    REQUIRE(tended(*made.value(), [&] { return asking.seen >= 0; }));
    if (granted == 0) {
        CHECK((asking.seen & ~SCHED_RESET_ON_FORK) == SCHED_FIFO);
    } else {
        WARN("this machine grants no real-time priority: not checked");
    }
    Daemon::end(recorder);
}

TEST_CASE("the delay measured by an impulse is the delay that is told, at every block size", "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    std::vector<float> clicks = silence(1.0);
    for (size_t at = 2400; at < clicks.size(); at += 4800) clicks[at] = 0.8f;
    clicks = played(clicks);
    const std::string file = daemon.folder() + "/clicks.wav";
    write_wav(file, mono(clicks));
    for (const int block : {32, 64, 256, 1024, 2048}) {
        INFO("block " << block);
        PipeWireOptions options;
        options.source = "desk_mic";
        options.block = block;
        Engine engine;
        // 3 ms of look-ahead: the chain has a delay as well.
        const auto made =
            running(engine, options, chain_of({stage("limiter", {{"lookahead", 3}, {"true_peak", 0}})}));
        SoundSource& device = *made;
        REQUIRE(daemon.wait_for_node("dusky-reed"));
        std::vector<size_t> delays;
        DeviceStatus status;
        EngineStats figures;
        for (int tries = 0; tries < 6 && delays.empty(); ++tries) {
            const auto sound = record_while_playing(daemon, device, file, "dusky-reed:capture_MONO");
            status = device.status();
            figures = engine.figures();
            // The limiter has nothing to do: what comes out is what went in, later.
            delays = delays_between(sound.plain, sound.heard, clicks,
                                    std::max<size_t>(200, 4 * static_cast<size_t>(block)));
        }
        device.stop();
        INFO(delays.size() << " stretches, dropouts " << status.dropouts << ", " << figures.blocks
                           << " blocks");
        REQUIRE_FALSE(delays.empty());
        // A cycle that was lost leaves its block as delay for a while; the shortest is that of the way
        // itself.
        const auto measured = static_cast<double>(*std::min_element(delays.begin(), delays.end()));
        const double told = figures.latency + status.delay_ms * 48.0 + figures.block_frames;
        INFO("measured " << measured << " frames; told " << told << " of which chain " << figures.latency
                         << ", device " << status.delay_ms * 48.0 << ", block " << figures.block_frames);
        CHECK(figures.block_frames == block);
        CHECK(std::abs(told - measured) <= block);
    }
}

TEST_CASE("the monitor is heard through the output, and the default microphone can be ours", "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    daemon.add_sink("phones", "Headphones");
    daemon.add_sink("built_in_speaker", "Speaker");
    auto graph = std::make_shared<PipeWireGraph>();
    PipeWireOptions options;
    options.source = "desk_mic";
    options.graph = graph;
    Engine engine;
    auto made = PipeWireDevice::create(options);
    REQUIRE(made.ok());
    REQUIRE(engine.open(made.value()->format(), chain_of({stage("gain", {{"gain", -6}})})).ok());
    REQUIRE(made.value()->start(engine).ok());
    REQUIRE(graph->picture().sinks.size() == 2);
    CHECK_FALSE(graph->picture().sink("phones")->loudspeakers);
    CHECK(graph->picture().sink("built_in_speaker")->loudspeakers);

    engine.set_monitor({MonitorSource::plain});
    MonitorOptions where;
    where.sink = "phones";
    auto output = MonitorOutput::create(engine.monitor_history(), where);
    REQUIRE(output.ok());
    REQUIRE(daemon.wait_for_node("dusky-reed-monitor"));
    // Noise, which equals itself at one place only.
    const auto sound = played(noise(0.1, 4.0, 11));
    const std::string file = daemon.folder() + "/noise.wav";
    write_wav(file, mono(sound));
    // The plain sound comes out of the headphones, whatever the chain's gain. The monitor keeps two blocks
    // against jitter and leaps when they are used up, so a stretch of it is asked for, not every piece.
    Judged got;
    for (int tries = 0; tries < 5 && got.equal < 4; ++tries) {
        const auto both = record_while_playing(daemon, *made.value(), file, "phones:monitor_MONO");
        got = judge(both.plain, both.heard, both.plain, sound, {2400, 4800, 24000, -90.0});
    }
    INFO(got.told << run_command({"/usr/bin/pw-link", "-l"}).out << "monitored "
                  << engine.monitor_history()->written() << " frames, blocks " << engine.figures().blocks);
    CHECK(got.equal >= 4);
    CHECK_FALSE(output.value()->lost());

    REQUIRE(tended(*made.value(), [&] { return graph->make_default_source(kVirtualMicName).ok(); }));
    const bool is_default = tended(
        *made.value(), [&] { return graph->picture().default_source == kVirtualMicName; }, 15.0);
    INFO("default " << graph->picture().default_source << "\n"
                    << run_command({"/usr/bin/pw-metadata"}).out
                    << run_command({"/usr/bin/wpctl", "status"}).out);
    CHECK(is_default);
    daemon.remove_node("phones");
    REQUIRE(
        tended(*made.value(), [&] { return output.value()->lost() || graph->picture().sinks.size() == 1; }));
}

namespace {

/// Plays a tone into the microphone and asks that it comes out of a chain that runs in `format` as it should;
/// `quantum` (0: as it comes) is forced on the daemon.
void comes_out_in(const StreamFormat& format, int quantum = 0) {
    Daemon daemon;
    if (quantum > 0)
        REQUIRE(run_command({"/usr/bin/pw-metadata", "-n", "settings", "0", "clock.force-quantum",
                             std::to_string(quantum)})
                    .status == 0);
    daemon.add_source("desk_mic", "Desk microphone");
    const auto sound = played_tone(quantum > 0 ? 4.0 : 2.0);
    const std::string file = daemon.folder() + "/tone.wav";
    write_wav(file, mono(sound));
    const double rate = format.sample_rate;
    const int channels = format.channels;
    Engine engine;
    PipeWireOptions options;
    options.sample_rate = rate;
    options.channels = channels;
    options.block = 2048;  // a daemon that is held up now and then loses less
    options.mic_title = "Reed test";
    auto made = PipeWireDevice::create(options);  // the default source: there is only one
    REQUIRE(made.ok());
    SoundSource& device = *made.value();
    CHECK(device.format() == StreamFormat{rate, channels});
    const ChainSpec chain = chain_of({stage("gain", {{"gain", -6}})});
    REQUIRE(engine.open(device.format(), chain).ok());
    REQUIRE(device.start(engine).ok());
    REQUIRE(daemon.wait_for_node("dusky-reed"));
    CHECK(daemon.dump().find("\"node.description\": \"Reed test\"") != std::string::npos);
    const std::string port = channels == 2 ? "dusky-reed:capture_FR" : "dusky-reed:capture_MONO";
    require_equal(
        [&] {
            const auto got = record_while_playing(daemon, device, file, port);
            const auto wanted = run(chain, got.plain);
            if (rate == 48000.0) return judge(got.plain, got.heard, wanted, sound);
            // Converted twice by the daemon, so no longer sample by sample: where the source is whole,
            // the tone has its level and nothing is beside it.
            Judged out;
            for (const Stretch& s : whole_stretches(got.plain, sound, 4800)) {
                out.told += "whole " + std::to_string(s.first) + "+" + std::to_string(s.length) + "\n";
                for (size_t at = s.first + 9600; at + 14400 <= s.first + s.length; at += 4800) {
                    const size_t played_at = s.played + (at - s.first);
                    // Inside the tone, a quarter of a second from its ends.
                    if (played_at < 36000 || played_at + 14400 > sound.size() - 36000) continue;
                    // Judged a tenth of a second later: the way through is shorter.
                    const std::vector<float> part(got.heard.begin() + static_cast<long>(at + 4800),
                                                  got.heard.begin() + static_cast<long>(at + 9600));
                    const double level = db(tone_amplitude(part, 1000, 48000));
                    const double all = db(std::sqrt(2.0) * rms(part));
                    ++out.pieces;
                    if (std::abs(level - (db(0.25) - 6.0)) < 0.1 && std::abs(all - level) < 0.01) ++out.equal;
                    out.told += "tone " + std::to_string(level) + " dB, all " + std::to_string(all) + "\n";
                }
            }
            return out;
        },
        3);
    device.stop();
}

}  // namespace

TEST_CASE("at 44.1 kHz a tone comes out as it went in", "[live]") {
    comes_out_in({44100.0, 1});
}

TEST_CASE("at 44.1 kHz in blocks of 8192 frames a tone comes out as it went in", "[live]") {
    comes_out_in({44100.0, 1}, 8192);
}

TEST_CASE("at 96 kHz a tone comes out as it went in", "[live]") {
    comes_out_in({96000.0, 1});
}

TEST_CASE("two channels come out as they went in", "[live]") {
    comes_out_in({48000.0, 2});
}
