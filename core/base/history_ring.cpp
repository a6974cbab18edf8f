#include "base/history_ring.h"

#include <bit>

namespace reed {

HistoryRing::HistoryRing(int channels, size_t frames) {
    const size_t size = std::bit_ceil(std::max<size_t>(frames, 2));
    for (int c = 0; c < channels; ++c) rows_.emplace_back(size);
    mask_ = size - 1;
}

void HistoryRing::write(const AudioBlock& block) noexcept {
    const std::int64_t start = written_.load(std::memory_order_relaxed);
    claimed_.store(start + block.frames, std::memory_order_relaxed);
    std::atomic_thread_fence(std::memory_order_release);
    for (int c = 0; c < channels(); ++c) {
        Row& row = rows_[static_cast<size_t>(c)];
        const float* from = block[std::min(c, block.channels - 1)];
        for (int i = 0; i < block.frames; ++i)
            row[static_cast<size_t>(start + i) & mask_].store(from[i], std::memory_order_relaxed);
    }
    written_.store(start + block.frames, std::memory_order_release);
}

bool HistoryRing::read(std::int64_t first, int count, float* const* out) const noexcept {
    const auto size = static_cast<std::int64_t>(capacity());
    if (first < 0 || count < 0 || count > size || first + count > written()) return false;
    for (int c = 0; c < channels(); ++c) {
        const Row& row = rows_[static_cast<size_t>(c)];
        for (int i = 0; i < count; ++i)
            out[c][i] = row[static_cast<size_t>(first + i) & mask_].load(std::memory_order_relaxed);
    }
    std::atomic_thread_fence(std::memory_order_acquire);
    return claimed_.load(std::memory_order_relaxed) - first <= size;
}

}  // namespace reed
