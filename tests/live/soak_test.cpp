// An evening in short; run by bench/soak, and for two minutes by ./check.
#include <catch2/catch.hpp>
#include <cmath>
#include <fstream>

#include "devices/pipewire_device.h"
#include "engine/meter_reader.h"
#include "live/listening.h"

using namespace reed;
using namespace reed::test;

namespace {

double memory_mb() {
    double all = 0.0;
    double resident = 0.0;
    std::ifstream("/proc/self/statm") >> all >> resident;
    return resident * 4.0 / 1024.0;
}

/// Seconds of sound between the events of an evening.
// Memory is read at whole minutes: then the same scene sounds each time, and the one before is long freed (a
// network takes 16 MB).
constexpr double kSceneEvery = 7.3;
constexpr double kPulledEvery = 20.0;
constexpr double kRestartEvery = 55.0;

}  // namespace

TEST_CASE("soak: an evening in short", "[.soak]") {
    // All sound through the daemon: scenes change, the microphone is pulled out, the daemon is started anew.
    const char* minutes = getenv("REED_SOAK_MINUTES");
    const double seconds = 60.0 * (minutes != nullptr ? std::atof(minutes) : 10.0);
    const bool eventful = getenv("REED_SOAK_CALM") == nullptr;
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    const auto words =
        mix(spoken_words(), noise(0.003, static_cast<double>(spoken_words().size()) / 48000.0, 5));
    std::vector<float> loop;
    while (static_cast<double>(loop.size()) < (eventful ? 2.0 * kRestartEvery : seconds + 20.0) * 48000.0)
        append(loop, words);
    const std::string file = daemon.folder() + "/evening.wav";
    write_wav(file, mono(loop));
    loop = {};
    Engine engine;
    PipeWireOptions options;
    options.source = "desk_mic";
    const ChainSpec scenes[2] = {
        chain_of({stage("gain"), stage("suppression", {{"method", 1}, {"amount", -30}}), stage("gate"),
                  stage("equalizer", {{"band2_gain", 3}, {"band3_gain", -4}}), stage("compressor"),
                  stage("limiter")}),
        chain_of({stage("gain", {{"gain", -3}}), stage("suppression", {{"method", 0}}), stage("compressor"),
                  stage("limiter", {{"lookahead", 3}})})};
    const auto made = running(engine, options, scenes[0]);
    SoundSource& device = *made;
    int recorder = daemon.record("/dev/null", "dusky-reed");
    int player = daemon.play(file, "desk_mic");
    MeterReader readings(engine);
    const auto heard_seconds = [&] {
        return static_cast<double>(engine.input_history()->written()) / 48000.0;
    };
    const auto sound_goes_on = [&] {
        const auto blocks = engine.figures().blocks;
        return tended(device, [&] {
            readings.poll();
            return device.status().running && engine.figures().blocks > blocks + 20;
        });
    };
    double after_minute = 0.0;
    double next_line = 0.0;
    double next_scene = kSceneEvery;
    double next_pull = kPulledEvery;
    double next_restart = kRestartEvery;
    size_t scene = 0;
    int pulled = 0;
    int restarts = 0;
    std::printf("%8s %10s %10s %12s %12s\n", "s", "blocks", "dropouts", "load %", "memory MB");
    // By the sound that came in, not by the clock.
    CHECK(tended(
        device,
        [&] {
            readings.poll();
            const double t = heard_seconds();
            if (after_minute == 0.0 && t > std::min(60.0, 0.5 * seconds)) after_minute = memory_mb();
            if (t >= next_line) {
                std::printf("%8.0f %10llu %10llu %12.1f %12.1f\n", t,
                            static_cast<unsigned long long>(engine.figures().blocks),
                            static_cast<unsigned long long>(device.status().dropouts),
                            100.0 * engine.figures().load, memory_mb());
                std::fflush(stdout);
                next_line += 60.0;
            }
            if (eventful && t >= next_scene) {
                next_scene += kSceneEvery;
                scene = 1 - scene;
                REQUIRE(engine.chain().follow(scenes[scene], Fade::scene).ok());
            }
            if (eventful && t >= next_pull) {
                next_pull += kPulledEvery;
                daemon.remove_node("desk_mic");
                REQUIRE(tended(device, [&] { return !device.status().running; }));
                daemon.add_source("desk_mic", "Desk microphone");
                Daemon::end(player);
                player = daemon.play(file, "desk_mic");
                REQUIRE(sound_goes_on());
                ++pulled;
            }
            if (eventful && t >= next_restart) {
                next_restart += kRestartEvery;
                daemon.stop();
                REQUIRE(tended(device, [&] { return !device.status().running; }));
                Daemon::end(player);
                Daemon::end(recorder);
                daemon.start_again();
                daemon.add_source("desk_mic", "Desk microphone");
                REQUIRE(tended(device, [&] { return device.status().running; }));
                recorder = daemon.record("/dev/null", "dusky-reed");
                player = daemon.play(file, "desk_mic");
                REQUIRE(sound_goes_on());
                ++restarts;
            }
            return t >= seconds;
        },
        3.0 * seconds + 120.0));
    const EngineStats f = engine.figures();
    const double grown = memory_mb() - after_minute;
    std::printf(
        "dropouts %llu in %.0f s, %d times pulled out, %d restarts; mean load %.1f %%, worst block %.0f %% "
        "of "
        "its deadline; memory grew by %.1f MB after the first minute\n",
        static_cast<unsigned long long>(device.status().dropouts), seconds, pulled, restarts, 100.0 * f.load,
        100.0 * f.worst_load, grown);
    Daemon::end(player);
    Daemon::end(recorder);
    device.stop();
    CHECK(f.blocks > 100);
    CHECK(grown < 20.0);
}
