#include "devices/paced_thread.h"

#include <chrono>

namespace reed {

void PacedThread::start(const StreamFormat& format, int block, Fill fill, AudioCallback& callback,
                        FeedSink* feed) {
    stop();
    quit_ = false;
    dropouts_ = 0;
    thread_ = std::thread([this, format, block, fill = std::move(fill), &callback, feed] {
        using Clock = std::chrono::steady_clock;
        const auto period = std::chrono::duration_cast<Clock::duration>(
            std::chrono::duration<double>(block / format.sample_rate));
        AudioBuffer buffer(format.channels, static_cast<size_t>(block));
        auto due = Clock::now();
        while (!quit_.load(std::memory_order_relaxed)) {
            fill(buffer.block(0, block));
            callback.process(buffer.block(0, block));
            if (feed != nullptr) {
                feed->take(buffer.block(0, block), false);
                feed->push();
            }
            due += period;
            const auto now = Clock::now();
            if (now - due > std::chrono::milliseconds(100)) {
                dropouts_.fetch_add(1, std::memory_order_relaxed);
                due = now;
            }
            std::this_thread::sleep_until(due);
        }
    });
}

void PacedThread::stop() {
    quit_ = true;
    if (thread_.joinable()) thread_.join();
}

}  // namespace reed
