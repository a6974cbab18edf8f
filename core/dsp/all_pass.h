// All-pass for reverberation.
#pragma once

#include <algorithm>
#include <vector>

namespace reed {

/// A delay with equal feed-forward and feedback gains (M. R. Schroeder, "Natural sounding artificial
/// reverberation", JAES 10 (3), 1962). Only prepare() allocates.
class AllPass {
  public:
    /// `delay` frames, at least 1; `gain` below 1.
    void prepare(int delay, float gain) {
        ring_.assign(static_cast<size_t>(delay), 0.0f);
        gain_ = gain;
        at_ = 0;
    }
    void reset() { std::fill(ring_.begin(), ring_.end(), 0.0f); }
    float next(float x) {
        const float delayed = ring_[at_];
        const float in = x + gain_ * delayed;
        ring_[at_] = in;
        if (++at_ == ring_.size()) at_ = 0;
        return delayed - gain_ * in;
    }

  private:
    float gain_ = 0.6f;
    std::vector<float> ring_;
    size_t at_ = 0;
};

}  // namespace reed
