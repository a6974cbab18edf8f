// Interfaces of audio callbacks and of receivers of the output.
#pragma once

#include "base/audio_block.h"

namespace reed {

/// Called by a device with each block. The block contains the input and, on return, the output.
class AudioCallback {
  public:
    virtual ~AudioCallback() = default;
    /// Audio thread only. Real-time safe: no allocation, no blocking.
    virtual void process(const AudioBlock& block) noexcept = 0;
    /// Signal for the headphones of the block just processed; no frames if there is none. Same thread as
    /// process().
    virtual AudioBlock monitor() const noexcept { return {}; }
};

/// Receives the output block by block, on the thread of the source.
class FeedSink {
  public:
    virtual ~FeedSink() = default;
    /// Receives a processed block. `converted`: the source runs at another sample rate, so the length of
    /// blocks varies from cycle to cycle. Audio thread only. Real-time safe: no allocation, no blocking.
    virtual void take(const AudioBlock& block, bool converted) noexcept = 0;
    /// Called after take() at the end of the cycle of the source; the block can be passed on. Audio thread
    /// only.
    virtual void push() noexcept {}
};

}  // namespace reed
