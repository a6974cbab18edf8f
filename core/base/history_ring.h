// Ring buffer with the last seconds of a signal, written by the audio thread, read by other threads.
#pragma once

#include <atomic>
#include <cstdint>
#include <cstring>
#include <vector>

#include "base/audio_block.h"

namespace reed {

/// One thread writes without blocking; others copy from it. A reader that is overtaken by the writer gets an
/// error instead of a mixture of old and new samples.
class HistoryRing {
  public:
    HistoryRing() = default;
    /// Holds at least `frames` frames per channel. Allocates: not on the audio thread.
    HistoryRing(int channels, size_t frames);

    int channels() const { return static_cast<int>(rows_.size()); }
    size_t capacity() const { return mask_ + 1; }

    /// Appends a block. One writer thread only. Real-time safe: no allocation, no blocking.
    void write(const AudioBlock& block) noexcept;

    /// Frames written since the beginning; the newest frame has the index written() - 1.
    std::int64_t written() const noexcept { return written_.load(std::memory_order_acquire); }

    /// Copies frames [first, first + count) into `out` (one row per channel, at least `count` long).
    /// Returns false if part of them was overwritten or is not written yet; `out` is undefined then.
    /// Thread-safe.
    bool read(std::int64_t first, int count, float* const* out) const noexcept;

  private:
    // A reader may read samples that the writer is changing and then discards them, so the samples are
    // atomic. Relaxed loads and stores are as fast as plain ones; they only keep the compiler from moving
    // several samples at once.
    using Row = std::vector<std::atomic<float>>;
    static_assert(std::atomic<float>::is_always_lock_free);
    std::vector<Row> rows_;
    size_t mask_ = 0;
    std::atomic<std::int64_t> written_{0};
    std::atomic<std::int64_t> claimed_{0};  // the writer may be overwriting up to here
};

}  // namespace reed
