// Runs a callback at the pace of real time.
#pragma once

#include <atomic>
#include <functional>
#include <thread>

#include "devices/device.h"

namespace reed {

/// Calls `fill` and then the callback for each block, on time. Blocks that are more than 100 ms late count as
/// dropouts, and the clock restarts from there.
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
