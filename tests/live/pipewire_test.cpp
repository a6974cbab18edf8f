// Live sound against a real PipeWire daemon that the test starts itself.
#include <signal.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <fstream>
#include <thread>

#include "devices/monitor_output.h"
#include "devices/pipewire_device.h"
#include "devices/sound_file.h"
#include "engine/readings.h"
#include "live/daemon.h"
#include "support/command.h"

using namespace reed;
using namespace reed::test;

namespace {

void wait(double seconds) {
    std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
}

/// Waits until `done` holds, looking after the device as the window does; false after `seconds`.
template <typename Done>
bool tended(Device& device, Done done, double seconds = 20.0) {
    for (int i = 0; i < static_cast<int>(seconds / 0.05); ++i) {
        device.tend();
        if (done()) return true;
        wait(0.05);
    }
    return false;
}

/// Where `part` lies best in `whole` (in frames), by correlation; looked for from `first` to `last`.
size_t align(const std::vector<float>& whole, const std::vector<float>& part, size_t first, size_t last) {
    double best = -1.0;
    size_t at = first;
    for (size_t lag = first; lag < last && lag + part.size() <= whole.size(); ++lag) {
        double sum = 0.0;
        for (size_t i = 0; i < part.size(); i += 5) sum += static_cast<double>(whole[lag + i]) * part[i];
        if (sum > best) {
            best = sum;
            at = lag;
        }
    }
    return at;
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
    // Stages without memory of the time before the words: the render starts from the same state.
    const ChainSpec chain = chain_of({stage("gain", {{"gain", -4}}),
                                      stage("gate", {{"open_threshold", -50}, {"close_threshold", -60}}),
                                      stage("equalizer", {{"band2_gain", 3}, {"band3_gain", -4}}),
                                      stage("compressor", {{"threshold", -20}}), stage("limiter")});
    REQUIRE(engine.open(device.format(), chain).ok());
    REQUIRE(device.start(engine).ok());
    REQUIRE(daemon.wait_for_node("dusky-reed"));
    CHECK(daemon.dump().find("\"media.class\": \"Audio/Source\"") != std::string::npos);
    // Our own virtual microphone is not offered as an input.
    CHECK(graph.picture().sources.size() == 1);

    const auto words = spoken_words();
    const std::string spoken = daemon.folder() + "/spoken.wav";
    const std::string heard = daemon.folder() + "/heard.wav";
    // Time to link the player before the first word.
    std::vector<float> played = silence(3.0);
    append(played, words);
    write_wav(spoken, mono(played));
    const auto wanted = run(chain, words);
    // Words compared, and words that are equal, of one recording.
    const auto attempt = [&]() -> std::pair<int, int> {
        const int recorder = daemon.record(heard, "dusky-reed");
        wait(1.0);
        const int player = daemon.play(spoken, "desk_mic");
        wait(static_cast<double>(played.size()) / 48000.0 + 1.5);
        Daemon::end(recorder, SIGINT);
        Daemon::end(player);
        const DeviceStatus status = device.status();
        CHECK(status.running);
        CHECK(status.problem.empty());
        CHECK(engine.figures().blocks > 100);

        const auto recorded = read_sound(heard);
        REQUIRE(recorded.ok());
        const auto& got = recorded.value()[0];
        // Word by word (they stand 0.9 s apart), each at its own alignment: on a busy machine the daemon
        // itself may lose a cycle of 21 ms now and then, which moves what follows and at worst spoils the
        // word it hits.
        const std::vector<float> second(wanted.begin() + 120000, wanted.begin() + 168000);
        const size_t found = align(got, second, 0, std::min<size_t>(got.size(), 720000));
        if (found < 120000) return {0, 0};
        const size_t offset = found - 120000;
        int compared = 0;
        int equal = 0;
        for (size_t at = 24000; at + 48000 <= wanted.size(); at += 48000) {
            const std::vector<float> part(wanted.begin() + static_cast<long>(at),
                                          wanted.begin() + static_cast<long>(at + 48000));
            if (rms(part) < 0.003) continue;
            const size_t from = offset + at - std::min<size_t>(offset + at, 8192);
            const size_t lag = align(got, part, from, from + 16384);
            double error = 0.0;
            for (size_t i = 0; i < part.size() && lag + i < got.size(); ++i) {
                error += (got[lag + i] - part[i]) * (got[lag + i] - part[i]);
            }
            const double relative = db(std::sqrt(error / static_cast<double>(part.size())) / rms(part));
            UNSCOPED_INFO("from " << at << ": " << relative << " dB, moved by "
                                  << static_cast<long>(lag) - static_cast<long>(offset + at));
            ++compared;
            equal += relative < -100.0 ? 1 : 0;
        }
        UNSCOPED_INFO("dropouts " << status.dropouts);
        return {compared, equal};
    };
    // A machine whose processor is taken away for moments loses cycles whatever the program does; one
    // recording of three without that is enough.
    std::pair<int, int> words_of{0, 0};
    for (int i = 0; i < 3 && (words_of.first < 8 || words_of.second < words_of.first - 2); ++i)
        words_of = attempt();
    device.stop();
    CHECK(words_of.first >= 8);
    CHECK(words_of.second >= words_of.first - 2);
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
    for (int i = 0; i < 10; ++i) {
        device.tend();
        wait(0.1);
    }
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

TEST_CASE("the delay measured by an impulse is the delay that is told, at every block size", "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    std::vector<float> clicks = silence(6.0);
    for (size_t at = 150000; at < clicks.size(); at += 24000) clicks[at] = 0.8f;
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
        // Both in one recording, so that they have one clock: the plain microphone left, the feed right.
        const std::string both = daemon.folder() + "/both" + std::to_string(block) + ".wav";
        const int recorder = daemon.record_pair(both, "desk_mic", "dusky-reed");
        const int player = daemon.play(file, "desk_mic");
        (void)tended(
            device, [&] { return false; }, 6.5);
        const DeviceStatus status = device.status();
        const EngineFigures figures = engine.figures();
        Daemon::end(recorder, SIGINT);
        Daemon::end(player);
        device.stop();
        const auto got = read_sound(both);
        REQUIRE(got.ok());
        REQUIRE(got.value().channels() == 2);
        std::vector<double> lags;
        const auto& plain = got.value()[0];
        const auto& feed = got.value()[1];
        for (size_t i = 0; i + 12000 < plain.size(); ++i) {
            if (plain[i] < 0.5f) continue;
            const auto end = feed.begin() + static_cast<long>(i + 12000);
            const auto top = std::max_element(feed.begin() + static_cast<long>(i), end);
            if (*top > 0.3f) lags.push_back(static_cast<double>(top - feed.begin()) - static_cast<double>(i));
            i += 12000;
        }
        REQUIRE(lags.size() >= 2);
        std::sort(lags.begin(), lags.end());
        const double measured = lags[lags.size() / 2];
        const double told = figures.latency + status.delay_ms * 48.0 + figures.block_frames;
        UNSCOPED_INFO("measured " << measured << " frames; told " << told << " of which chain "
                                  << figures.latency << ", device " << status.delay_ms * 48.0 << ", block "
                                  << figures.block_frames);
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
    const std::string tone = daemon.folder() + "/tone.wav";
    write_wav(tone, mono(sine(1000, 0.25, 8.0)));
    const int player = daemon.play(tone, "desk_mic");
    const std::string heard = daemon.folder() + "/phones.wav";
    const int recorder = daemon.record_sink(heard, "phones");
    (void)tended(
        *made.value(), [&] { return false; }, 5.0);
    INFO(run_command({"/usr/bin/pw-link", "-l"}).out << "monitored " << engine.monitor_history()->written()
                                                     << " frames, blocks " << engine.figures().blocks);
    Daemon::end(recorder, SIGINT);
    Daemon::end(player);
    const auto got = read_sound(heard);
    REQUIRE(got.ok());
    const auto& x = got.value()[0];
    // Its loudest tenth of a second (a busy machine may lose some of it): the plain tone, whatever the
    // chain's gain.
    double loudest = 0.0;
    for (size_t i = 0; i + 4800 <= x.size(); i += 480) loudest = std::max(loudest, rms(x, i, 4800));
    CHECK(db(loudest * std::sqrt(2.0)) == Approx(db(0.25)).margin(0.5));
    CHECK_FALSE(output.value()->lost());

    REQUIRE(graph->make_default_source(kVirtualMicName).ok());
    REQUIRE(tended(*made.value(), [&] { return graph->picture().default_source == kVirtualMicName; }));
    daemon.remove_node("phones");
    REQUIRE(
        tended(*made.value(), [&] { return output.value()->lost() || graph->picture().sinks.size() == 1; }));
}

TEST_CASE("other sample rates and two channels come out as they went in", "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    const std::string tone = daemon.folder() + "/tone.wav";
    write_wav(tone, mono(sine(1000, 0.25, 8.0)));
    for (const auto& [rate, channels] :
         {std::pair{44100.0, 1}, std::pair{96000.0, 1}, std::pair{48000.0, 2}}) {
        INFO(rate << " Hz, " << channels << " channels");
        Engine engine;
        PipeWireOptions options;
        options.sample_rate = rate;
        options.channels = channels;
        options.mic_title = "Reed test";
        auto made = PipeWireDevice::create(options);  // the default source: there is only one
        REQUIRE(made.ok());
        Device& device = *made.value();
        CHECK(device.format() == StreamFormat{rate, channels});
        REQUIRE(engine.open(device.format(), chain_of({stage("gain", {{"gain", -6}})})).ok());
        REQUIRE(device.start(engine).ok());
        REQUIRE(daemon.wait_for_node("dusky-reed"));
        CHECK(daemon.dump().find("\"node.description\": \"Reed test\"") != std::string::npos);
        const std::string heard = daemon.folder() + "/heard.wav";
        const int recorder = daemon.record(heard, "dusky-reed");
        const int player = daemon.play(tone, "desk_mic");
        (void)tended(
            device, [] { return false; }, 4.0);
        Daemon::end(recorder, SIGINT);
        Daemon::end(player);
        device.stop();
        const auto got = read_sound(heard);
        REQUIRE(got.ok());
        const auto& x = got.value()[0];
        double loudest = 0.0;
        size_t at = 0;
        for (size_t i = 0; i + 4800 <= x.size(); i += 480) {
            if (rms(x, i, 4800) <= loudest) continue;
            loudest = rms(x, i, 4800);
            at = i;
        }
        // The recorder mixes two equal channels into one with equal power: 3 dB more.
        const double wanted = db(0.25) - 6.0 + (channels == 2 ? 3.01 : 0.0);
        CHECK(db(loudest * std::sqrt(2.0)) == Approx(wanted).margin(0.5));
        const std::vector<float> part(x.begin() + static_cast<long>(at),
                                      x.begin() + static_cast<long>(at + 4800));
        CHECK(db(tone_amplitude(part, 1000, 48000)) == Approx(wanted).margin(0.7));
    }
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
