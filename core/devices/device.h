// Where sound comes from and where it goes: one interface for the simulated room, a sound file and PipeWire.
#pragma once

#include <cstdint>
#include <string>

#include "base/audio_callback.h"
#include "base/result.h"

namespace reed {

/// programme: what other programs play into an output of ours.
enum class DeviceKind { simulated_room, sound_file, pipewire, programme };

/// Which device to use; what the session remembers.
struct DeviceChoice {
    DeviceKind kind = DeviceKind::simulated_room;
    /// File path, or a PipeWire node name (of a programme: of its output); empty: the default source.
    std::string target{};
    /// Of PipeWire's sources: the only one of its channels to take, from 1 on; 0: all of them.
    int channel = 0;

    bool operator==(const DeviceChoice&) const = default;
};

struct DeviceStatus {
    bool running = false;
    std::uint64_t dropouts = 0;  ///< blocks that came late or were lost, since start
    std::string problem;         ///< plain words when no sound comes in; empty while all is well
    bool waiting = false;        ///< with a problem: it goes on by itself when what is missing returns
    bool feed_used = false;      ///< another program takes the feed
    double delay_ms = 0.0;       ///< of the device itself, in and out, without the chain
};

/// What gives sound.
class SoundSource {
  public:
    virtual ~SoundSource() = default;

    /// The format it will deliver. Known from construction on.
    virtual StreamFormat format() const = 0;
    /// Starts calling `callback`, and then `feed` if there is one, from a thread of its own until stop() or
    /// destruction.
    virtual Result<void> start(AudioCallback& callback, FeedSink* feed = nullptr) = 0;
    /// Returns after the last call of the callback has ended.
    virtual void stop() = 0;
    virtual DeviceStatus status() const = 0;
    /// Its blocks come in the cycle of the virtual microphone, not in a time of its own.
    virtual bool steady() const { return false; }
    /// Looks after itself: notices what has gone and returned. Call it some times a second from the thread
    /// that started it. Quick.
    virtual void tend() {}
};

}  // namespace reed
