// Who takes and gives sound, block by block.
#pragma once

#include "base/audio_block.h"

namespace reed {

/// What a device calls with each block of sound. The block holds the input and, on return, the feed.
class AudioCallback {
  public:
    virtual ~AudioCallback() = default;
    /// Audio thread; neither waits nor allocates.
    virtual void process(const AudioBlock& block) noexcept = 0;
    /// What the headphones shall get of the block just processed; no frames when nothing. Same thread as
    /// process().
    virtual AudioBlock monitor() const noexcept { return {}; }
};

/// What takes the sound that leaves the program, block by block, on the thread of the source that gives it.
class FeedSink {
  public:
    virtual ~FeedSink() = default;
    /// Audio thread; neither waits nor allocates. A block after its processing; `converted`: what it came
    /// from runs at another rate than the block's, so that blocks differ in length from cycle to cycle.
    virtual void take(const AudioBlock& block, bool converted) noexcept = 0;
    /// Audio thread, after take(): the source is done with its cycle, and what was taken may go on its way.
    virtual void push() noexcept {}
};

}  // namespace reed
