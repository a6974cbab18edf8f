// A delay of whole samples that may become another one while it sounds.
#pragma once

#include <algorithm>
#include <vector>

#include "base/audio_block.h"

namespace reed {

/// Delays all channels alike. A change is cross-faded over 20 ms, straight; one that comes meanwhile waits.
/// Only prepare() allocates.
class MovingDelay {
  public:
    /// Silence came before. `longest` in frames.
    void prepare(const StreamFormat& format, int longest) {
        rows_.assign(static_cast<size_t>(format.channels),
                     std::vector<float>(static_cast<size_t>(longest) + 1, 0.0f));
        fade_length_ = std::max(1, static_cast<int>(0.020 * format.sample_rate));
        at_ = now_ = next_ = 0;
        fade_ = fade_length_;
    }
    /// The delay from the next frame on, at once. Limited to the longest.
    void snap(int delay) {
        now_ = next_ = inside(delay);
        fade_ = fade_length_;
    }
    /// The delay to fade to.
    void set(int delay) noexcept {
        if (fade_ < fade_length_ || inside(delay) == now_) return;
        next_ = inside(delay);
        fade_ = 0;
    }
    int delay() const { return next_; }

    void process(const AudioBlock& block) noexcept {
        const int size = static_cast<int>(rows_.front().size());
        for (int i = 0; i < block.frames; ++i) {
            const bool fades = fade_ < fade_length_;
            const float share = fades ? static_cast<float>(++fade_) / static_cast<float>(fade_length_) : 0.0f;
            for (int c = 0; c < block.channels; ++c) {
                auto& row = rows_[static_cast<size_t>(c)];
                row[static_cast<size_t>(at_)] = block[c][i];
                const auto back = [&](int delay) {
                    const int from = at_ - delay;
                    return row[static_cast<size_t>(from < 0 ? from + size : from)];
                };
                block[c][i] = back(now_);
                if (fades) block[c][i] += share * (back(next_) - block[c][i]);
            }
            if (fades && fade_ == fade_length_) now_ = next_;
            if (++at_ == size) at_ = 0;
        }
    }

  private:
    int inside(int delay) const { return std::clamp(delay, 0, static_cast<int>(rows_.front().size()) - 1); }

    std::vector<std::vector<float>> rows_;
    int at_ = 0, now_ = 0, next_ = 0;
    int fade_ = 0, fade_length_ = 1;
};

}  // namespace reed
