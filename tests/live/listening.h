// What live tests play, and how they wait and record.
#pragma once

#include <signal.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <chrono>
#include <memory>
#include <thread>

#include "base/sound_file.h"
#include "devices/pipewire_device.h"
#include "engine/engine.h"
#include "live/daemon.h"
#include "live/recording.h"
#include "support/signals.h"

namespace reed::test {

/// Polls the device as the window does, 20 times a second, until `done` holds; false after `seconds`.
template <typename Done>
bool tended(SoundSource& device, Done done, double seconds = 60.0) {
    constexpr std::chrono::milliseconds kInterval(50);
    for (auto polls = static_cast<int>(seconds / 0.05); polls > 0; --polls) {
        device.tend();
        if (done()) return true;
        std::this_thread::sleep_for(kInterval);
    }
    return false;
}

/// The device of `options`, running `chain` in `engine`, which must outlive it.
inline std::unique_ptr<SoundSource> running(Engine& engine, const PipeWireOptions& options,
                                            const ChainSpec& chain = {}) {
    auto made = PipeWireDevice::create(options);
    REQUIRE(made.ok());
    REQUIRE(engine.open(made.value()->format(), chain).ok());
    REQUIRE(made.value()->start(engine).ok());
    return std::move(made.value());
}

/// What is played to a microphone: half a second of nothing, then `what`, then half a second more, all over a
/// noise of -80 dBFS that makes every place in it unlike every other.
inline std::vector<float> played(const std::vector<float>& what) {
    std::vector<float> out = silence(0.5);
    append(out, what);
    append(out, silence(0.5));
    return mix(noise(0.0001, static_cast<double>(out.size()) / 48000.0, 7), out);
}

/// A tone between two pauses.
inline std::vector<float> played_tone(double seconds) {
    return played(sine(1000, 0.25, seconds));
}

/// The first words of the spoken ones, about seven seconds.
inline std::vector<float> some_words() {
    std::vector<float> out = spoken_words();
    out.resize(std::min<size_t>(out.size(), 7 * 48000));
    return out;
}

/// Plays `file` into the microphone and records the plain one beside `heard_port` until the player has ended.
inline PairRecording record_while_playing(Daemon& daemon, SoundSource& device, const std::string& file,
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

}  // namespace reed::test
