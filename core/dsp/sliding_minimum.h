// Minimum of the last N values, at constant average cost per value.
#pragma once

#include <cstdint>
#include <vector>

namespace reed {

/// Monotonic queue (D. Lemire, "Streaming maximum-minimum filter using no more than three comparisons per
/// element", 2006). The window is fixed by prepare().
class SlidingMinimum {
  public:
    void prepare(int window) {
        values_.assign(static_cast<size_t>(window) + 1, 0.0f);
        times_.assign(values_.size(), 0);
        window_ = window;
        reset();
    }
    void reset() {
        head_ = tail_ = 0;
        now_ = 0;
    }
    float next(float value) {
        while (head_ != tail_ && values_[before(tail_)] >= value) tail_ = before(tail_);
        values_[tail_] = value;
        times_[tail_] = now_;
        tail_ = after(tail_);
        if (times_[head_] + window_ <= now_) head_ = after(head_);
        ++now_;
        return values_[head_];
    }

  private:
    size_t after(size_t i) const { return i + 1 == values_.size() ? 0 : i + 1; }
    size_t before(size_t i) const { return i == 0 ? values_.size() - 1 : i - 1; }

    std::vector<float> values_;
    std::vector<std::int64_t> times_;
    int window_ = 1;
    size_t head_ = 0;
    size_t tail_ = 0;
    std::int64_t now_ = 0;
};

}  // namespace reed
