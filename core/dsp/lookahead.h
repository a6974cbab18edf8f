// Look-ahead delay of dynamics stages.
#pragma once

#include <array>
#include <cmath>

#include "base/audio_block.h"
#include "dsp/delay_line.h"

namespace reed {

/// The same delay for all channels.
class Lookahead {
  public:
    void prepare(double sample_rate, double milliseconds) {
        frames_ = static_cast<int>(std::lround(milliseconds * 0.001 * sample_rate));
        for (auto& line : lines_) line.prepare(frames_);
    }
    void reset() {
        for (auto& line : lines_) line.reset();
    }
    int frames() const { return frames_; }
    void process(const AudioBlock& block) {
        if (frames_ == 0) return;
        for (int c = 0; c < block.channels; ++c) {
            lines_[static_cast<size_t>(c)].process(block[c], block[c], block.frames);
        }
    }

  private:
    int frames_ = 0;
    std::array<DelayLine, kMaxChannels> lines_;
};

}  // namespace reed
