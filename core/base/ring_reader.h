// A reading position in a HistoryRing.
#pragma once

#include <memory>
#include <span>

#include "base/history_ring.h"

namespace reed {

/// Reads a ring in order, piece by piece, and reports when part of it was missed. One thread only. Only the
/// constructor and follow() of a ring with other channels allocate; read() and waiting() are real-time safe.
class RingReader {
  public:
    enum class Got {
        sound,     ///< the requested frames, or as many as were available
        nothing,   ///< nothing new
        overtaken  ///< the next frames were overwritten; the reader is at the newest frame now
    };

    RingReader() = default;
    /// Starts at the newest frame of `ring`.
    explicit RingReader(std::shared_ptr<const HistoryRing> ring) {
        follow(std::move(ring));
        skip_to_newest();
    }

    /// Attaches to `ring`. Returns true if it is another one: the reader is then at its first frame, and the
    /// rest of the previous ring is dropped.
    bool follow(std::shared_ptr<const HistoryRing> ring);

    /// Index of the next frame.
    std::int64_t at() const noexcept { return at_; }
    /// Number of frames to read, including frames that are overwritten by now.
    std::int64_t waiting() const noexcept { return ring_ ? ring_->written() - at_ : 0; }
    int channels() const noexcept { return ring_ ? ring_->channels() : 0; }

    void seek(std::int64_t frame) noexcept { at_ = frame; }
    /// Moves to `before` frames before the newest one, or to the first frame of the ring.
    void skip_to_newest(std::int64_t before = 0) noexcept;

    /// Reads to.frames frames, all or none. `to` has at least the channels of the ring; further channels are
    /// unchanged. Does not move when it is overtaken; call seek() or skip_to_newest() then.
    Got read(const AudioBlock& to) noexcept;

    /// Reads at most `most` frames into a buffer of the reader, valid until the next call. The block is empty
    /// with Got::nothing and Got::overtaken.
    Got next(int most, AudioBlock& piece);
    /// The same, averaged over the channels.
    Got next_mono(int most, std::span<const float>& piece);

  private:
    std::shared_ptr<const HistoryRing> ring_;
    std::int64_t at_ = 0;
    AudioBuffer buffer_;
};

}  // namespace reed
