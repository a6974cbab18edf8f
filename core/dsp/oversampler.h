// Four times the sample rate and back, for what makes new frequencies.
#pragma once

#include <array>

#include "base/audio_block.h"

namespace reed {

/// One channel. Linear-phase low-passes (Kaiser's window, 90 dB; J. F. Kaiser, "Nonrecursive digital filter
/// design using the I0-sinh window function", 1974): on the way up one at half of the outer rate, which
/// passes up to 0.41 of it and stops from 0.59 on; on the way down one that stops from half of the outer rate
/// on, so that nothing folds back, and passes up to a third of it. Every fourth sample of what goes up is the
/// sound itself, delayed.
class Oversampler {
  public:
    static constexpr int kFactor = 4;
    /// Outer frames by which up() and down() together delay.
    static constexpr int kDelay = 34;

    void reset();
    /// `frames` (at most kSubBlock) samples to four times as many. `out[p]` gets the samples at the frame and
    /// p quarters of one behind it; all of it is written, what is behind `frames` means nothing.
    void up(const float* in, int frames, float (&out)[kFactor][kSubBlock]);
    /// And back.
    void down(const float (&in)[kFactor][kSubBlock], int frames, float* out);

  private:
    static constexpr int kHalf = kDelay / 2;  // frames of the delay of one direction
    static constexpr int kTaps = kDelay;      // a phase, but for the one that passes
    static constexpr int kHistory = kTaps;
    using Phase = std::array<float, kHistory + kSubBlock>;
    Phase going_up_{};                // the newest kHistory frames, then the piece at work
    Phase going_down_[kFactor] = {};  // the same of each phase
};

}  // namespace reed
