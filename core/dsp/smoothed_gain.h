// A smoothed gain for blocks of any length.
#pragma once

#include "base/audio_block.h"
#include "dsp/smoothed.h"

namespace reed {

/// Applies Smoothed as a gain factor.
class SmoothedGain {
  public:
    /// As Smoothed::prepare().
    void prepare(double sample_rate, double time_constant, double factor) {
        factor_.prepare(sample_rate, time_constant, factor);
        in_grain_ = 0;
    }
    void set(double factor) noexcept { factor_.set(factor); }
    void snap(double factor) noexcept { factor_.snap(factor); }
    void process(const AudioBlock& block) noexcept {
        for (int i = 0; i < block.frames; ++i) {
            if (in_grain_ == 0) factor_.begin_sub_block();
            in_grain_ = (in_grain_ + 1) % kSubBlock;
            const float factor = factor_.next();
            for (int c = 0; c < block.channels; ++c) block[c][i] *= factor;
        }
    }

  private:
    Smoothed factor_;
    int in_grain_ = 0;
};

}  // namespace reed
