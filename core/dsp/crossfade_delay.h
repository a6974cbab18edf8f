// A delay of whole samples that can change while audio runs.
#pragma once

#include <algorithm>
#include <vector>

#include "base/audio_block.h"

namespace reed {

/// Delays all channels equally. A change is cross-faded linearly over 20 ms; another change waits meanwhile.
/// Only prepare() allocates.
class CrossfadeDelay {
  public:
    /// Clears the history. `longest`: in frames.
    void prepare(const StreamFormat& format, int longest) {
        rows_.assign(static_cast<size_t>(format.channels),
                     std::vector<float>(static_cast<size_t>(longest + kSubBlock), 0.0f));
        longest_ = longest;
        fade_length_ = std::max(1, static_cast<int>(0.020 * format.sample_rate));
        at_ = now_ = next_ = 0;
        fade_ = fade_length_;
    }
    /// Sets the delay at once, clamped to the maximum.
    void snap(int delay) {
        now_ = next_ = inside(delay);
        fade_ = fade_length_;
    }
    /// Clears the history.
    void reset() noexcept {
        for (auto& row : rows_) std::fill(row.begin(), row.end(), 0.0f);
    }
    /// Target delay.
    void set(int delay) noexcept {
        if (fade_ < fade_length_ || inside(delay) == now_) return;
        next_ = inside(delay);
        fade_ = 0;
    }
    int delay() const { return next_; }
    /// How old what comes out is at most, in frames: of the two delays while they are cross-faded.
    int oldest() const { return std::max(now_, next_); }
    /// Whether a cross-fade is running.
    bool moves() const { return fade_ < fade_length_; }

    void process(const AudioBlock& block) noexcept {
        const int size = static_cast<int>(rows_.front().size());
        for (int done = 0; done < block.frames;) {
            // Up to the next wrap of a read position or of the write position.
            const int from = at_ < now_ ? at_ - now_ + size : at_ - now_;
            int n = std::min({block.frames - done, size - at_, size - from, size - now_});
            if (fade_ < fade_length_) {
                n = std::min(n, fade_length_ - fade_);
                fade(block.slice(done, n), from);
            } else {
                still(block.slice(done, n), from);
            }
            done += n;
            at_ = (at_ + n) % size;
        }
    }

  private:
    void still(const AudioBlock& part, int from) noexcept {
        for (int c = 0; c < part.channels; ++c) {
            float* row = rows_[static_cast<size_t>(c)].data();
            std::copy_n(part[c], part.frames, row + at_);
            if (now_ > 0) std::copy_n(row + from, part.frames, part[c]);
        }
    }
    void fade(const AudioBlock& part, int from) noexcept {
        const int size = static_cast<int>(rows_.front().size());
        for (int i = 0; i < part.frames; ++i) {
            const float share = static_cast<float>(++fade_) / static_cast<float>(fade_length_);
            int next = at_ + i - next_;
            if (next < 0) next += size;
            for (int c = 0; c < part.channels; ++c) {
                float* row = rows_[static_cast<size_t>(c)].data();
                row[at_ + i] = part[c][i];
                part[c][i] = row[from + i] + share * (row[next] - row[from + i]);
            }
        }
        if (fade_ == fade_length_) now_ = next_;
    }
    int inside(int delay) const { return std::clamp(delay, 0, longest_); }

    std::vector<std::vector<float>> rows_;
    int longest_ = 0, at_ = 0, now_ = 0, next_ = 0;
    int fade_ = 0, fade_length_ = 1;
};

}  // namespace reed
