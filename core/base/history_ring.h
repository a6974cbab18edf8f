// The last seconds of a sound, written by the audio thread, read by anyone else.
#pragma once

#include <atomic>
#include <cstdint>
#include <cstring>
#include <vector>

#include "base/audio_block.h"

namespace reed {

/// A ring that one thread writes without ever waiting and others copy from. A reader that is overtaken
/// by the writer learns it and gets nothing, instead of a mixture of old and new samples.
class HistoryRing {
  public:
    HistoryRing() = default;
    /// Keeps at least `frames` frames per channel. Allocates; not for the audio thread.
    HistoryRing(int channels, size_t frames);

    int channels() const { return static_cast<int>(rows_.size()); }
    size_t capacity() const { return mask_ + 1; }

    /// Appends a block (audio thread; no wait, no allocation).
    void write(const AudioBlock& block) noexcept;

    /// Frames written since the beginning; the newest frame has the index written() - 1.
    std::int64_t written() const noexcept { return written_.load(std::memory_order_acquire); }

    /// Copies frames [first, first + count) into `out` (one row per channel, at least `count` long).
    /// Returns false when part of them is gone or not there yet; `out` then has no meaning.
    bool read(std::int64_t first, int count, float* const* out) const noexcept;

  private:
    // A reader may look at what the writer is just changing and then throws it away, so the samples are
    // atomic: relaxed loads and stores of a word, which is as quick as a plain one but keeps the compiler
    // from moving several at once.
    using Row = std::vector<std::atomic<float>>;
    static_assert(std::atomic<float>::is_always_lock_free);
    std::vector<Row> rows_;
    size_t mask_ = 0;
    std::atomic<std::int64_t> written_{0};
    std::atomic<std::int64_t> claimed_{0};  // the writer may be overwriting up to here
};

}  // namespace reed
