// A fixed delay of whole samples.
#pragma once

#include <algorithm>
#include <vector>

namespace reed {

/// Delays one channel by a number of samples set in prepare(); 0 passes through.
class DelayLine {
  public:
    void prepare(int delay) {
        ring_.assign(static_cast<size_t>(std::max(delay, 0)), 0.0f);
        position_ = 0;
    }
    void reset() { fill(0.0f); }
    /// Fills the history with `value`.
    void fill(float value) { std::fill(ring_.begin(), ring_.end(), value); }
    int delay() const { return static_cast<int>(ring_.size()); }

    float next(float in) {
        if (ring_.empty()) return in;
        const float out = ring_[position_];
        ring_[position_] = in;
        if (++position_ == ring_.size()) position_ = 0;
        return out;
    }
    /// `out` may be `in`.
    void process(const float* in, float* out, int frames) {
        for (int i = 0; i < frames; ++i) out[i] = next(in[i]);
    }

  private:
    std::vector<float> ring_;
    size_t position_ = 0;
};

}  // namespace reed
