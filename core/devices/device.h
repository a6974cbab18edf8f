// Where sound comes from and where it goes: one interface for the simulated room, a sound file and PipeWire.
#pragma once

#include <cstdint>
#include <string>

#include "base/audio_callback.h"
#include "base/result.h"

namespace reed {

/// programme: app audio, which apps play into an output of ours.
enum class DeviceKind { simulated_room, sound_file, pipewire, programme };

/// Selects a device; stored with the session.
struct DeviceChoice {
    DeviceKind kind = DeviceKind::simulated_room;
    /// File path or PipeWire node name (for app audio: of its output); empty: the default source.
    std::string target{};
    /// Channel of a PipeWire source, from 1; 0: all channels.
    int channel = 0;

    bool operator==(const DeviceChoice&) const = default;
};

struct DeviceStatus {
    bool running = false;
    std::uint64_t dropouts = 0;  ///< late or lost blocks since start
    std::string problem;         ///< message while there is no audio; empty otherwise
    bool waiting = false;        ///< the problem ends automatically when the device returns
    bool feed_used = false;      ///< another app uses the output
    double delay_ms = 0.0;       ///< latency of the device, input and output, without the chain
};

/// A source of audio.
class SoundSource {
  public:
    virtual ~SoundSource() = default;

    /// Format of the audio; known from construction on.
    virtual StreamFormat format() const = 0;
    /// Starts calling `callback`, then `feed` if given, from its own thread until stop() or destruction.
    virtual Result<void> start(AudioCallback& callback, FeedSink* feed = nullptr) = 0;
    /// Returns after the last callback has returned.
    virtual void stop() = 0;
    virtual DeviceStatus status() const = 0;
    /// Whether it runs in the cycle of the virtual microphone.
    virtual bool steady() const { return false; }
    /// Detects lost and returned devices. Call about every 100 ms from the thread that started it. Doesn't
    /// block.
    virtual void tend() {}
};

}  // namespace reed
