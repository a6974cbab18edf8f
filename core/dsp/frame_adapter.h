// Adapts blocks of any length to processing in frames of fixed length.
#pragma once

#include <algorithm>
#include <vector>

namespace reed {

/// Collects `frame` samples, processes them, and outputs the result during the next `frame` samples. The
/// latency is exactly `frame` samples for any block size.
class FrameAdapter {
  public:
    void prepare(int frame) {
        in_.assign(static_cast<size_t>(frame), 0.0f);
        out_.assign(static_cast<size_t>(frame), 0.0f);
        position_ = 0;
    }
    void reset() {
        std::fill(in_.begin(), in_.end(), 0.0f);
        std::fill(out_.begin(), out_.end(), 0.0f);
        position_ = 0;
    }
    /// Copies the state of `other`, with the same frame length. Does not allocate.
    void follow(const FrameAdapter& other) {
        std::copy(other.in_.begin(), other.in_.end(), in_.begin());
        std::copy(other.out_.begin(), other.out_.end(), out_.begin());
        position_ = other.position_;
    }
    int delay() const { return static_cast<int>(in_.size()); }

    /// `work(float* frame)` processes a full frame in place. `out` may be `in`.
    template <typename Work>
    void process(const float* in, float* out, int frames, Work work) {
        for (int i = 0; i < frames; ++i) {
            const float x = in[i];
            out[i] = out_[position_];
            in_[position_] = x;
            if (++position_ == in_.size()) {
                position_ = 0;
                in_.swap(out_);
                work(out_.data());
            }
        }
    }

  private:
    std::vector<float> in_, out_;
    size_t position_ = 0;
};

}  // namespace reed
