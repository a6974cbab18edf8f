#include "base/stream_fifo.h"

#include <algorithm>

namespace reed {

void StreamFifo::prepare(int channels, int store) {
    store_ = store;
    ring_ = std::make_shared<HistoryRing>(channels, 32768);
    AudioBuffer nothing(
        channels,
        2 * static_cast<size_t>(store));  // the store of the first block, if that falls short itself
    ring_->write(nothing.block(0, 2 * store));
    reader_.follow(ring_);
    reader_.seek(store);
    begun_ = false;
    forget();
}

void StreamFifo::write(const AudioBlock& block) noexcept {
    ring_->write(block);
}

bool StreamFifo::read(const AudioBlock& out) noexcept {
    const std::int64_t surplus = reader_.waiting() - out.frames;
    // What was written before the first read is dropped. A cycle that PipeWire skipped leaves a surplus,
    // which is dropped if it lasts; block sizes that differ on both sides leave none.
    if (surplus >= 0 && (!begun_ || surplus > 8 * out.frames)) {
        skip_to(keep_, out.frames);
        begun_ = true;
    } else if (surplus >= 0) {
        least_ = std::min(least_, surplus);
        if (++reads_ >= kPatience) {
            const std::int64_t rest = least_ - keep_;
            if (rest > keep_) reader_.seek(reader_.at() + rest);
            forget();
        }
    }
    if (reader_.read(out) == RingReader::Got::sound) return true;
    for (int c = 0; c < out.channels; ++c) std::fill_n(out[c], out.frames, 0.0f);
    return false;
}

}  // namespace reed
