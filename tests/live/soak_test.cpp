// An evening in short; run by bench/soak.
#include <catch2/catch.hpp>
#include <cmath>
#include <fstream>

#include "devices/pipewire_device.h"
#include "engine/readings.h"
#include "live/listening.h"

using namespace reed;
using namespace reed::test;

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
    // By the sound that came in, not by the clock.
    double next_line = 0.0;
    CHECK(tended(
        device,
        [&] {
            readings.poll();
            const double t = static_cast<double>(engine.input_history().written()) / 48000.0;
            if (after_minute == 0.0 && t > std::min(60.0, 0.5 * seconds)) after_minute = memory();
            if (t >= next_line) {
                std::printf("%8.0f %10llu %10llu %12.1f %12.1f\n", t,
                            static_cast<unsigned long long>(engine.figures().blocks),
                            static_cast<unsigned long long>(device.status().dropouts),
                            100.0 * engine.figures().load, memory());
                std::fflush(stdout);
                next_line += 60.0;
            }
            return t >= seconds;
        },
        2.0 * seconds + 60.0));
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
