// Live sound against a real PipeWire daemon that the test starts itself.
#include <pthread.h>
#include <sched.h>
#include <signal.h>

#include <algorithm>
#include <atomic>
#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <fstream>
#include <thread>

#include "base/sound_file.h"
#include "devices/monitor_output.h"
#include "devices/pipewire_device.h"
#include "engine/readings.h"
#include "live/daemon.h"
#include "live/recording.h"
#include "support/command.h"

using namespace reed;
using namespace reed::test;

namespace {

void wait(double seconds) {
    std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
}

/// Waits until `done` holds, looking after the device as the window does; false after `seconds`.
template <typename Done>
bool tended(Device& device, Done done, double seconds = 60.0) {
    for (int i = 0; i < static_cast<int>(seconds / 0.05); ++i) {
        device.tend();
        if (done()) return true;
        wait(0.05);
    }
    return false;
}

/// What is played to a microphone: half a second of nothing, then `what`, then half a second more, all over a
/// noise of -80 dBFS that makes every place in it unlike every other.
std::vector<float> played(const std::vector<float>& what) {
    std::vector<float> out = silence(0.5);
    append(out, what);
    append(out, silence(0.5));
    return mix(noise(0.0001, static_cast<double>(out.size()) / 48000.0, 7), out);
}

/// A tone between two pauses.
std::vector<float> played_tone(double seconds) {
    return played(sine(1000, 0.25, seconds));
}

/// The first words of the spoken ones, about seven seconds.
std::vector<float> some_words() {
    std::vector<float> out = spoken_words();
    out.resize(std::min<size_t>(out.size(), 7 * 48000));
    return out;
}

/// Plays `file` into the microphone and records the plain one beside `heard_port` until the player has ended.
PairRecording record_while_playing(Daemon& daemon, Device& device, const std::string& file,
                                   const std::string& heard_port) {
    const std::string both = daemon.folder() + "/both.wav";
    const int recorder = daemon.record_pair(both, "desk_mic:capture_MONO", heard_port);
    const int player = daemon.play(file, "desk_mic");
    REQUIRE(tended(device, [&] { return Daemon::ended(player); }));
    Daemon::end(recorder, SIGINT);
    const auto got = read_sound(both);
    REQUIRE(got.ok());
    REQUIRE(got.value().channels() == 2);
    return {got.value()[0], got.value()[1]};
}

}  // namespace

TEST_CASE("without a daemon it says what to do", "[live]") {
    const TemporaryFolder empty;
    setenv("XDG_RUNTIME_DIR", empty.folder().c_str(), 1);
    CHECK_FALSE(PipeWireGraph().settle());
    CHECK_FALSE(PipeWireGraph().picture().connected);
    const auto made = PipeWireDevice::create({});
    REQUIRE_FALSE(made.ok());
    CHECK_THAT(made.error().text(),
               Catch::Contains("no PipeWire is running") && Catch::Contains("simulated room"));
    // Chosen on another evening, it is waited for.
    PipeWireOptions remembered;
    remembered.source = "desk_mic";
    remembered.wait_for_source = true;
    auto patient = PipeWireDevice::create(remembered);
    REQUIRE(patient.ok());
    Engine engine;
    REQUIRE(engine.open(patient.value()->format(), {}).ok());
    REQUIRE(patient.value()->start(engine).ok());
    CHECK_FALSE(patient.value()->status().running);
    CHECK(patient.value()->status().waiting);
    CHECK_THAT(patient.value()->status().problem, Catch::Contains("PipeWire is not running"));
    patient.value()->stop();
    CHECK_FALSE(MonitorOutput::create(std::make_shared<HistoryRing>(1, 48000), {}).ok());
}

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
    CHECK_THAT(PipeWireDevice::create(missing).error().text(),
               Catch::Contains("this microphone is not there"));

    PipeWireOptions options;
    options.source = "desk_mic";
    options.block = 1024;
    auto made = PipeWireDevice::create(options);
    REQUIRE(made.ok());
    Device& device = *made.value();
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
    CHECK(daemon.dump().find("\"media.class\": \"Audio/Source\"") != std::string::npos);
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
            return judge(got.plain, got.heard, run(chain, got.plain), spoken);
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

TEST_CASE("a daemon that ends is noticed, waited for, and taken up again", "[live]") {
    auto daemon = std::make_unique<Daemon>();
    daemon->add_source("desk_mic", "Desk microphone");
    PipeWireOptions options;
    options.source = "desk_mic";
    auto made = PipeWireDevice::create(options);
    REQUIRE(made.ok());
    Device& device = *made.value();
    Engine engine;
    REQUIRE(engine.open(device.format(), {}).ok());
    REQUIRE(device.start(engine).ok());
    const int recorder = daemon->record(daemon->folder() + "/used.wav", "dusky-reed");
    REQUIRE(tended(device, [&] { return device.status().feed_used; }));
    CHECK(device.status().problem.empty());
    Daemon::end(recorder);
    REQUIRE(tended(device, [&] { return !device.status().feed_used; }));

    const std::string folder = daemon->folder();
    daemon->stop();
    REQUIRE(tended(device, [&] { return !device.status().running; }));
    CHECK_THAT(device.status().problem,
               Catch::Contains("PipeWire is not running") && Catch::Contains("by itself"));
    CHECK(device.status().waiting);

    daemon->start_again();
    // The daemon is back, the microphone is not yet.
    REQUIRE(tended(device,
                   [&] { return device.status().problem.find("microphone is gone") != std::string::npos; }));
    daemon->add_source("desk_mic", "Desk microphone");
    const auto blocks = engine.figures().blocks;
    const int again = daemon->record(folder + "/again.wav", "dusky-reed");
    REQUIRE(tended(device, [&] { return device.status().running && engine.figures().blocks > blocks + 20; }));
    CHECK(daemon->wait_for_node("dusky-reed"));
    Daemon::end(again);
    device.stop();
}

TEST_CASE("a microphone that is pulled out leaves silence, is never replaced, and goes on when it returns",
          "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    daemon.add_source("other_mic", "Other microphone");
    auto graph = std::make_shared<PipeWireGraph>();
    PipeWireOptions options;
    options.source = "desk_mic";
    options.graph = graph;
    auto made = PipeWireDevice::create(options);
    REQUIRE(made.ok());
    Device& device = *made.value();
    Engine engine;
    REQUIRE(engine.open(device.format(), {}).ok());
    REQUIRE(device.start(engine).ok());
    const int recorder = daemon.record(daemon.folder() + "/gap.wav", "dusky-reed");
    REQUIRE(tended(device, [&] { return engine.figures().blocks > 10; }));
    const auto version = graph->version();

    daemon.remove_node("desk_mic");
    REQUIRE(tended(device, [&] { return !device.status().problem.empty(); }));
    CHECK_THAT(device.status().problem, Catch::Contains("microphone is gone"));
    CHECK(graph->version() != version);
    REQUIRE(graph->picture().sources.size() == 1);
    CHECK(graph->picture().sources[0].name == "other_mic");
    // The virtual microphone stays for the programs that use it, and nothing else is heard in its place.
    CHECK(daemon.dump().find("\"node.name\": \"dusky-reed\"") != std::string::npos);
    const auto blocks = engine.figures().blocks;
    // Looked after ten times more, still nothing is put in its place.
    int looks = 0;
    (void)tended(device, [&] { return ++looks > 10; });
    CHECK(engine.figures().blocks == blocks);

    daemon.add_source("desk_mic", "Desk microphone");
    REQUIRE(tended(device, [&] { return device.status().running && engine.figures().blocks > blocks + 10; }));
    CHECK(device.status().problem.empty());
    Daemon::end(recorder);
    device.stop();

    // One that is not there at the start is waited for only when asked.
    options.source = "not_yet";
    CHECK_FALSE(PipeWireDevice::create(options).ok());
    options.wait_for_source = true;
    auto patient = PipeWireDevice::create(options);
    REQUIRE(patient.ok());
    REQUIRE(engine.open(patient.value()->format(), {}).ok());
    REQUIRE(patient.value()->start(engine).ok());
    CHECK(patient.value()->status().waiting);
    daemon.add_source("not_yet", "Late microphone");
    const int late = daemon.record(daemon.folder() + "/late.wav", "dusky-reed");
    REQUIRE(tended(*patient.value(), [&] { return engine.figures().blocks > 10; }));
    CHECK(patient.value()->status().running);
    Daemon::end(late);
}

TEST_CASE("a microphone that is gone for a moment is heard again, however short the moment", "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    PipeWireOptions options;
    options.source = "desk_mic";
    auto made = PipeWireDevice::create(options);
    REQUIRE(made.ok());
    Device& device = *made.value();
    Engine engine;
    REQUIRE(engine.open(device.format(), {}).ok());
    REQUIRE(device.start(engine).ok());
    const int recorder = daemon.record(daemon.folder() + "/gaps.wav", "dusky-reed");
    REQUIRE(tended(device, [&] { return engine.figures().blocks > 10; }));
    for (const double gap : {0.0, 0.02, 0.05, 0.1, 0.12, 0.15, 0.2, 0.3, 0.6, 1.2}) {
        INFO("gone for " << gap << " s");
        daemon.remove_node("desk_mic");
        wait(gap);  // what is tried, not waited for
        daemon.add_source("desk_mic", "Desk microphone");
        const auto blocks = engine.figures().blocks;
        CHECK(tended(
            device, [&] { return device.status().running && engine.figures().blocks > blocks + 100; }, 20.0));
    }
    Daemon::end(recorder);
}

TEST_CASE("what another program writes into the daemon's settings ends nothing", "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    PipeWireGraph graph;
    REQUIRE(graph.settle());
    PipeWireOptions options;
    options.source = "desk_mic";
    auto made = PipeWireDevice::create(options);
    REQUIRE(made.ok());
    const auto set = [](const std::string& value) {
        return run_command({"/usr/bin/pw-metadata", "0", "default.audio.source", value, "Spa:String:JSON"})
                   .status == 0;
    };
    REQUIRE(tended(*made.value(), [&] { return set(R"({"name":"desk_mic"})"); }));
    for (const char* odd :
         {R"({"name":5})", R"({"name":["desk_mic"]})", "[]", "nonsense", R"({"name":{"name":{}}})"}) {
        const auto version = graph.version();
        REQUIRE(set(odd));
        INFO(odd);
        REQUIRE(tended(*made.value(), [&] { return graph.version() != version; }));
        CHECK(graph.picture().connected);
    }
    REQUIRE(set(R"({"name":"desk_mic"})"));
    CHECK(tended(*made.value(), [&] { return graph.picture().default_source == "desk_mic"; }));
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
        auto made = PipeWireDevice::create(options);
        REQUIRE(made.ok());
        Device& device = *made.value();
        Engine engine;
        // 3 ms of look-ahead: the chain has a delay as well.
        const ChainSpec chain = chain_of({stage("limiter", {{"lookahead", 3}, {"true_peak", 0}})});
        REQUIRE(engine.open(device.format(), chain).ok());
        REQUIRE(device.start(engine).ok());
        REQUIRE(daemon.wait_for_node("dusky-reed"));
        std::vector<size_t> delays;
        DeviceStatus status;
        EngineFigures figures;
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
    for (int tries = 0; tries < 3 && got.equal < 4; ++tries) {
        const auto both = record_while_playing(daemon, *made.value(), file, "phones:monitor_MONO");
        got = judge(both.plain, both.heard, both.plain, sound, {4800, 12000, 24000, -90.0});
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

/// Plays a tone into the microphone and asks that it comes out of a chain that runs in `format` as it should.
void comes_out_in(const StreamFormat& format) {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    const auto sound = played_tone(2.0);
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
    Device& device = *made.value();
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

TEST_CASE("at 96 kHz a tone comes out as it went in", "[live]") {
    comes_out_in({96000.0, 1});
}

TEST_CASE("two channels come out as they went in", "[live]") {
    comes_out_in({48000.0, 2});
}

TEST_CASE("outputs that look like loudspeakers are told from headphones", "[live]") {
    CHECK(looks_like_loudspeakers("speaker", "x", "y"));
    CHECK(looks_like_loudspeakers("internal", "x", "Headphones"));
    CHECK_FALSE(looks_like_loudspeakers("headset", "speaker", "speaker"));
    CHECK(looks_like_loudspeakers("", "alsa_output.pci.HiFi__Speaker__sink", "Built-in Audio Speaker"));
    CHECK(looks_like_loudspeakers("", "alsa_output.hdmi-stereo", "HDMI"));
    CHECK_FALSE(
        looks_like_loudspeakers("", "alsa_output.pci.HiFi__Headphones__sink", "Built-in Audio Headphones"));
    CHECK_FALSE(looks_like_loudspeakers("", "usb_thing", "Some interface"));
}

TEST_CASE("soak: an evening in short", "[.soak]") {
    // Run by bench/soak: all sound through the daemon while another process keeps the other core busy.
    const char* minutes = getenv("REED_SOAK_MINUTES");
    const double seconds = 60.0 * (minutes != nullptr ? std::atof(minutes) : 10.0);
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    auto played = mix(spoken_words(), noise(0.003, static_cast<double>(spoken_words().size()) / 48000.0, 5));
    std::vector<float> loop;
    while (static_cast<double>(loop.size()) < (seconds + 20.0) * 48000.0) append(loop, played);
    const std::string file = daemon.folder() + "/evening.wav";
    write_wav(file, mono(loop));
    loop = {};
    Engine engine;
    PipeWireOptions options;
    options.source = "desk_mic";
    auto made = PipeWireDevice::create(options);
    REQUIRE(made.ok());
    Device& device = *made.value();
    const ChainSpec chain = chain_of(
        {stage("gain"), stage("suppression", {{"method", 1}, {"amount", -30}}), stage("gate"),
         stage("equalizer", {{"band2_gain", 3}, {"band3_gain", -4}}), stage("compressor"), stage("limiter")});
    REQUIRE(engine.open(device.format(), chain).ok());
    REQUIRE(device.start(engine).ok());
    const int recorder = daemon.record("/dev/null", "dusky-reed");
    const int player = daemon.play(file, "desk_mic");
    Readings readings(engine);
    const auto memory = [] {
        double all = 0.0;
        double resident = 0.0;
        std::ifstream("/proc/self/statm") >> all >> resident;
        return resident * 4.0 / 1024.0;
    };
    double after_minute = 0.0;
    std::printf("%8s %10s %10s %12s %12s\n", "s", "blocks", "dropouts", "load %", "memory MB");
    for (double t = 0.0; t < seconds; t += 0.03) {
        wait(0.03);
        readings.poll();
        if (std::fmod(t, 0.3) < 0.03) device.tend();
        if (after_minute == 0.0 && t > std::min(60.0, 0.5 * seconds)) after_minute = memory();
        if (std::fmod(t, 60.0) < 0.03)
            std::printf("%8.0f %10llu %10llu %12.1f %12.1f\n", t,
                        static_cast<unsigned long long>(engine.figures().blocks),
                        static_cast<unsigned long long>(device.status().dropouts),
                        100.0 * engine.figures().load, memory());
        std::fflush(stdout);
    }
    const EngineFigures f = engine.figures();
    std::printf(
        "dropouts %llu in %.0f s; mean load %.1f %%, worst block %.0f %% of its deadline; memory grew by "
        "%.1f MB "
        "after the first minute\n",
        static_cast<unsigned long long>(device.status().dropouts), seconds, 100.0 * f.load,
        100.0 * f.worst_load, memory() - after_minute);
    Daemon::end(player);
    Daemon::end(recorder);
    device.stop();
    CHECK(f.blocks > 100);
}
