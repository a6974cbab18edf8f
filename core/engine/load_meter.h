// How much of the time that a block may take was used.
#pragma once

#include <algorithm>
#include <atomic>
#include <cstdint>

namespace reed {

/// note() on the audio thread, the rest on any.
class LoadMeter {
  public:
    void restart() {
        load_ = worst_ = 0.0;
        blocks_ = 0;
    }
    /// A block of `frames` at `sample_rate` took `seconds`.
    void note(double seconds, int frames, double sample_rate) noexcept {
        if (frames <= 0) return;
        const double period = frames / sample_rate;
        const double share = seconds / period;
        const double before = load_.load(std::memory_order_relaxed);
        load_.store(before + std::min(1.0, period) * (share - before), std::memory_order_relaxed);
        if (share > worst_.load(std::memory_order_relaxed)) worst_.store(share, std::memory_order_relaxed);
        frames_.store(frames, std::memory_order_relaxed);
        blocks_.fetch_add(1, std::memory_order_relaxed);
    }
    /// Mean over about a second, 0 to 1.
    double load() const { return load_.load(std::memory_order_relaxed); }
    double worst() const { return worst_.load(std::memory_order_relaxed); }
    int block_frames() const { return frames_.load(std::memory_order_relaxed); }
    std::uint64_t blocks() const { return blocks_.load(std::memory_order_relaxed); }

  private:
    std::atomic<double> load_{0.0}, worst_{0.0};
    std::atomic<int> frames_{0};
    std::atomic<std::uint64_t> blocks_{0};
};

}  // namespace reed
