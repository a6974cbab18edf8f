// Fourfold oversampling, for nonlinear processing.
#pragma once

#include <array>

#include "base/audio_block.h"

namespace reed {

/// One channel. Linear-phase low-passes (Kaiser's window, 90 dB; J. F. Kaiser, "Nonrecursive digital filter
/// design using the I0-sinh window function", 1974): up: cut-off at half of the outer rate, pass
/// band to 0.41 and stop band from 0.59 of it. Down: stop band from half of the outer rate, so that there is
/// no aliasing, and pass band to a third of it. Every fourth upsampled sample is the delayed input itself.
class Oversampler {
  public:
    static constexpr int kFactor = 4;
    /// Latency of up() and down() together, in outer frames.
    static constexpr int kDelay = 34;

    void reset();
    /// Upsamples `frames` (at most kSubBlock) samples. `out[p]` gets the samples p quarters of a frame after
    /// each frame; all of it is written, beyond `frames` with undefined values.
    void up(const float* in, int frames, float (&out)[kFactor][kSubBlock]);
    /// Downsamples.
    void down(const float (&in)[kFactor][kSubBlock], int frames, float* out);

  private:
    static constexpr int kHalf = kDelay / 2;  // latency of one direction in frames
    static constexpr int kTaps = kDelay;      // per phase, except the one that is a pure delay
    static constexpr int kHistory = kTaps;
    using Phase = std::array<float, kHistory + kSubBlock>;
    Phase going_up_{};                // the newest kHistory frames, then the current block
    Phase going_down_[kFactor] = {};  // the same per phase
};

}  // namespace reed
