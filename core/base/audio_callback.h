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

}  // namespace reed
