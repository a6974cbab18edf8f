// The gain of a mute.
#pragma once

#include <algorithm>

#include "base/audio_block.h"

namespace reed {

/// Fades to silence or back over a fixed time by 3 w^2 - 2 w^3, whose slope is 0 at both ends, so that there
/// is no click. A fade that is reversed goes on from where it is. Real-time safe.
class MuteGain {
  public:
    /// `seconds`: length of a whole fade, at least one frame.
    void prepare(double sample_rate, double seconds, bool muted) noexcept {
        step_ = static_cast<float>(1.0 / std::max(1.0, sample_rate * seconds));
        set(muted);
        at_ = target_;
    }
    void set(bool muted) noexcept { target_ = muted ? 0.0f : 1.0f; }
    void process(const AudioBlock& block) noexcept {
        for (int i = 0; i < block.frames; ++i) {
            if (at_ == 1.0f && target_ == 1.0f) return;
            at_ = at_ < target_ ? std::min(at_ + step_, target_) : std::max(at_ - step_, target_);
            const float factor = at_ * at_ * (3.0f - 2.0f * at_);
            for (int c = 0; c < block.channels; ++c) block[c][i] *= factor;
        }
    }

  private:
    float at_ = 1.0f, target_ = 1.0f, step_ = 1.0f;
};

}  // namespace reed
