// A voice in a noisy workshop, for trying everything without a microphone.
#pragma once

#include <array>
#include <filesystem>

#include "devices/paced_thread.h"
#include "dsp/smoothed.h"
#include "stages/parameter.h"

namespace reed {

/// The room's controls, in table order.
enum RoomControl { kRoomEffort, kRoomDehumidifier, kRoomLathe, kRoomRain, kRoomTools, kRoomControls };

/// Their descriptions: effort of the voice (silent, whisper, quiet, talk, loud, shout) and loudness of each
/// noise in percent (100 %: as near as it stands; each halving of the percentage takes 10 dB off; 0: off).
std::span<const Parameter> room_controls();

/// Mono, 48 kHz, paced in real time. Plays the sounds of a demo data folder in loops.
class SimulatedRoom final : public SoundSource {
  public:
    /// Fails, naming the file, when a sound is missing or not mono 48 kHz.
    static Result<std::unique_ptr<SimulatedRoom>> create(const std::filesystem::path& demo_data);

    StreamFormat format() const override { return {48000.0, 1}; }
    Result<void> start(AudioCallback& callback, FeedSink* feed = nullptr) override;
    void stop() override { thread_.stop(); }
    DeviceStatus status() const override;

    /// Any thread; the sound moves there within a tenth of a second.
    void set(RoomControl control, double value);
    double get(RoomControl control) const;

    /// Makes the next frames without pacing (tests, demo renders). Not while started.
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
