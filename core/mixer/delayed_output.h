// The delay of an output, which a mute empties.
#pragma once

#include <algorithm>

#include "dsp/crossfade_delay.h"
#include "dsp/mute_gain.h"

namespace reed {

/// Delays what goes out. What was said before a mute, before a pause or before the delay was increased is
/// never heard later. Only prepare() allocates; the rest is real-time safe.
class DelayedOutput {
  public:
    /// Clears it and starts with `delay`; `longest`: longest delay. Both in frames.
    void prepare(const StreamFormat& format, int longest, int delay) {
        delay_.prepare(format, longest);
        delay_.snap(delay);
        open_.prepare(format.sample_rate, kFade, false);
        fade_ = static_cast<int>(kFade * format.sample_rate);
        closed_ = 0;
        set_ = delay;
        paused_ = false;
    }
    /// Silences what has come so far and has not gone out yet, with the fade that is to follow: call when the
    /// source is muted. `before`: frames that what has come to the source needs until it comes here. Does
    /// nothing without a delay.
    void drop(int before) noexcept {
        if (delay_.oldest() > 0) close(delay_.oldest() + before);
    }
    /// Call while process() is not.
    void pause() noexcept { paused_ = true; }
    /// In place: later by `aligned` frames, whose change is cross-faded, and by `delay` frames, whose
    /// increase silences the output for that long.
    void process(const AudioBlock& block, int aligned, int delay) noexcept {
        if ((delay > set_ || paused_) && aligned + delay > 0) close(aligned + delay);
        set_ = delay;
        paused_ = false;
        delay_.set(aligned + delay);
        delay_.process(block);
        open_.set(closed_ > 0);
        open_.process(block);
        closed_ = std::max(0, closed_ - block.frames);
    }

  private:
    static constexpr double kFade = 0.010;  // s, as of a mute

    void close(int frames) noexcept { closed_ = std::max(closed_, frames + fade_); }

    CrossfadeDelay delay_;
    MuteGain open_;
    int fade_ = 0, closed_ = 0;  // frames; for those it stays silent
    int set_ = 0;                // the delay of the block before
    bool paused_ = false;
};

}  // namespace reed
