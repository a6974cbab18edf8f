#include "base/ring_reader.h"

#include <algorithm>

namespace reed {

bool RingReader::follow(std::shared_ptr<const HistoryRing> ring) {
    if (ring == ring_) return false;
    ring_ = std::move(ring);
    at_ = 0;
    return true;
}

void RingReader::skip_to_newest(std::int64_t before) noexcept {
    at_ = ring_ ? std::max<std::int64_t>(0, ring_->written() - before) : 0;
}

RingReader::Got RingReader::read(const AudioBlock& to) noexcept {
    if (waiting() < to.frames || !ring_) return Got::nothing;
    if (!ring_->read(at_, to.frames, to.rows.data())) return Got::overtaken;
    at_ += to.frames;
    return Got::sound;
}

RingReader::Got RingReader::next(int most, AudioBlock& piece) {
    piece = {};
    const auto n = static_cast<int>(std::min<std::int64_t>(most, waiting()));
    if (n <= 0) return Got::nothing;
    if (buffer_.channels() != channels() || buffer_.frames() < static_cast<size_t>(n))
        buffer_ = AudioBuffer(channels(), static_cast<size_t>(most));
    const AudioBlock to = buffer_.block(0, n);
    const Got got = read(to);
    if (got == Got::sound) piece = to;
    if (got == Got::overtaken) skip_to_newest();
    return got;
}

RingReader::Got RingReader::next_mono(int most, std::span<const float>& piece) {
    AudioBlock both;
    const Got got = next(most, both);
    for (int i = 0; both.channels > 1 && i < both.frames; ++i) both[0][i] = 0.5f * (both[0][i] + both[1][i]);
    piece = {both[0], static_cast<size_t>(both.frames)};
    return got;
}

}  // namespace reed
