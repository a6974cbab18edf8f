// The simulated room: a voice in a noisy workshop, as an input without a microphone.
#pragma once

#include <array>
#include <filesystem>

#include "devices/paced_thread.h"
#include "dsp/smoothed.h"
#include "stages/parameter.h"

namespace reed {

/// Controls of the room, in table order.
enum RoomControl { kRoomEffort, kRoomDehumidifier, kRoomLathe, kRoomRain, kRoomTools, kRoomControls };

/// Table of the controls: vocal effort (silent, whisper, quiet, talk, loud, shout) and level of each noise in
/// percent (100 %: nearest; halving it lowers it by 10 dB; 0: off).
std::span<const Parameter> room_controls();

/// Mono, 48 kHz, paced in real time. Plays the sounds of a demo data folder in loops.
class SimulatedRoom final : public SoundSource {
  public:
    /// Returns an error with the file if a sound is missing or not mono at 48 kHz.
    static Result<std::unique_ptr<SimulatedRoom>> create(const std::filesystem::path& demo_data);

    StreamFormat format() const override { return {48000.0, 1}; }
    Result<void> start(AudioCallback& callback, FeedSink* feed = nullptr) override;
    void stop() override { thread_.stop(); }
    DeviceStatus status() const override;

    /// Thread-safe. Takes effect within 0.1 s.
    void set(RoomControl control, double value);
    double get(RoomControl control) const;

    /// Generates the next frames without pacing (tests, demo renders). Precondition: not started.
    void fill(const AudioBlock& block);

  private:
    static constexpr int kSounds = 7;
    SimulatedRoom() = default;
    double wanted_gain(int sound) const;

    std::array<std::vector<float>, kSounds> sounds_;
    std::array<size_t, kSounds> positions_{};
    std::array<Smoothed, kSounds> gains_;
    int in_grain_ = 0;
    std::array<std::atomic<double>, kRoomControls> controls_{};
    PacedThread thread_;
};

}  // namespace reed
