#include "devices/hand_over.h"

#include <algorithm>

namespace reed {

void HandOver::prepare(int channels) {
    ring_ = std::make_unique<HistoryRing>(channels, 32768);
    AudioBuffer nothing(channels, 2 * kStore);  // the store of the first block, if that falls short itself
    ring_->write(nothing.block(0, 2 * kStore));
    read_ = kStore;
    begun_ = false;
    forget();
}

void HandOver::write(const AudioBlock& block) noexcept {
    ring_->write(block);
}

bool HandOver::read(const AudioBlock& out) noexcept {
    const std::int64_t surplus = ring_->written() - read_ - out.frames;
    // What gathered while nobody listened is left out at once. A cycle that the daemon lost leaves a rest,
    // which is left out when it has lasted; that the blocks of both sides differ is no rest.
    if (surplus >= 0 && (!begun_ || surplus > 8 * out.frames)) {
        skip_to(keep_, out.frames);
        begun_ = true;
    } else if (surplus >= 0) {
        least_ = std::min(least_, surplus);
        if (++reads_ >= kPatience) {
            const std::int64_t rest = least_ - keep_;
            if (rest > keep_) read_ += rest;
            forget();
        }
    }
    float* rows[kMaxChannels] = {out.rows[0], out.rows[1]};
    if (ring_->read(read_, out.frames, rows)) {
        read_ += out.frames;
        return true;
    }
    for (int c = 0; c < out.channels; ++c) std::fill_n(out[c], out.frames, 0.0f);
    return false;
}

}  // namespace reed
