// Live sound against a real PipeWire daemon that the test starts itself.
#include <signal.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <thread>

#include "devices/pipewire_device.h"
#include "devices/sound_file.h"
#include "engine/readings.h"
#include "live/daemon.h"

using namespace reed;
using namespace reed::test;

namespace {

void wait(double seconds) {
    std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
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
    const auto sources = list_pipewire_sources();
    REQUIRE_FALSE(sources.ok());
    CHECK_THAT(sources.error().text(),
               Catch::Contains("no PipeWire is running") && Catch::Contains("simulated room"));
    CHECK_FALSE(PipeWireDevice::create({}).ok());
}

TEST_CASE("words spoken into a microphone come out of Dusky Reed as the offline render has them", "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");

    const auto sources = list_pipewire_sources();
    REQUIRE(sources.ok());
    REQUIRE(sources.value().size() == 1);
    CHECK(sources.value()[0].name == "desk_mic");
    CHECK(sources.value()[0].title == "Desk microphone");

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
    CHECK(list_pipewire_sources().value().size() == 1);

    const auto words = spoken_words();
    const std::string spoken = daemon.folder() + "/spoken.wav";
    const std::string heard = daemon.folder() + "/heard.wav";
    // Time to link the player before the first word.
    std::vector<float> played = silence(3.0);
    append(played, words);
    write_wav(spoken, mono(played));
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
    device.stop();

    const auto recorded = read_sound(heard);
    REQUIRE(recorded.ok());
    const auto& got = recorded.value()[0];
    const auto wanted = run(chain, words);
    // Word by word (they stand 0.9 s apart), each at its own alignment: on a busy machine the daemon itself
    // may lose a cycle of 21 ms now and then, which moves what follows and at worst spoils the word it hits.
    const std::vector<float> second(wanted.begin() + 120000, wanted.begin() + 168000);
    const size_t found = align(got, second, 0, std::min<size_t>(got.size(), 720000));
    REQUIRE(found >= 120000);
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
    CHECK(compared >= 8);
    CHECK(equal >= compared - 2);
}

TEST_CASE("a daemon that ends is noticed", "[live]") {
    auto daemon = std::make_unique<Daemon>();
    daemon->add_source("desk_mic", "Desk microphone");
    auto made = PipeWireDevice::create({});
    REQUIRE(made.ok());
    Engine engine;
    REQUIRE(engine.open(made.value()->format(), {}).ok());
    REQUIRE(made.value()->start(engine).ok());
    wait(0.5);
    CHECK(made.value()->status().running);
    daemon.reset();
    for (int i = 0; i < 50 && made.value()->status().running; ++i) wait(0.1);
    CHECK_FALSE(made.value()->status().running);
    CHECK_THAT(made.value()->status().problem, Catch::Contains("connection was lost"));
    made.value()->stop();
}
