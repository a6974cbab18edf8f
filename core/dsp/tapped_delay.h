// A delay line that is read at several places.
#pragma once

#include <algorithm>
#include <vector>

#include "base/audio_block.h"

namespace reed {

/// Delays of whole samples, all of the same sound. Only prepare() allocates; the rest is real-time safe.
class TappedDelay {
  public:
    /// Clears it. `longest`: longest delay in frames, >= 0.
    void prepare(const StreamFormat& format, int longest) {
        longest_ = longest;
        at_ = 0;
        rows_.assign(static_cast<size_t>(format.channels),
                     std::vector<float>(static_cast<size_t>(longest + kSubBlock), 0.0f));
    }
    int longest() const { return longest_; }

    /// Appends a block of at most kSubBlock frames.
    void write(const AudioBlock& block) noexcept {
        const int size = longest_ + kSubBlock;
        for (int c = 0; c < block.channels; ++c) {
            float* row = rows_[static_cast<size_t>(c)].data();
            const int first = std::min(block.frames, size - at_);
            std::copy_n(block[c], first, row + at_);
            std::copy_n(block[c] + first, block.frames - first, row);
        }
        at_ = (at_ + block.frames) % size;
    }
    /// The newest frames as of `delay` frames ago (0 to longest()), of the length of the block written last.
    void read(int delay, const AudioBlock& out) const noexcept {
        const int size = longest_ + kSubBlock;
        const int from = (at_ - out.frames - delay + 2 * size) % size;
        for (int c = 0; c < out.channels; ++c) {
            const float* row = rows_[static_cast<size_t>(c)].data();
            const int first = std::min(out.frames, size - from);
            std::copy_n(row + from, first, out[c]);
            std::copy_n(row, out.frames - first, out[c] + first);
        }
    }

  private:
    std::vector<std::vector<float>> rows_;
    int longest_ = 0, at_ = 0;
};

}  // namespace reed
