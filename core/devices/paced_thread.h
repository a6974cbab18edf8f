// Runs blocks of made or read sound at the speed of real time.
#pragma once

#include <atomic>
#include <functional>
#include <thread>

#include "devices/device.h"

namespace reed {

/// Calls `fill` and then the callback for one block after another, each at its time. Blocks that come more
/// than 100 ms late are counted as dropouts, and time goes on from there.
class PacedThread {
  public:
    using Fill = std::function<void(const AudioBlock&)>;

    ~PacedThread() { stop(); }
    void start(const StreamFormat& format, int block, Fill fill, AudioCallback& callback,
               FeedSink* feed = nullptr);
    void stop();
    bool running() const { return thread_.joinable(); }
    std::uint64_t dropouts() const { return dropouts_.load(std::memory_order_relaxed); }

  private:
    std::thread thread_;
    std::atomic<bool> quit_{false};
    std::atomic<std::uint64_t> dropouts_{0};
};

}  // namespace reed
