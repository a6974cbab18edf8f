// Where one reader of a history ring stands.
#pragma once

#include <memory>
#include <span>

#include "base/history_ring.h"

namespace reed {

/// Takes the sound of a ring piece by piece, in order, and says when part of it was missed. One thread.
/// Nothing but the constructor and follow() of a ring of other channels allocates; read() and waiting() may
/// be called on the audio thread.
class RingReader {
  public:
    enum class Got {
        sound,     ///< the frames asked for, or as many as there were
        nothing,   ///< none there yet
        overtaken  ///< what comes next was written over meanwhile; the reader stands at the newest frame now
    };

    RingReader() = default;
    /// Stands at the newest frame of `ring`.
    explicit RingReader(std::shared_ptr<const HistoryRing> ring) {
        follow(std::move(ring));
        skip_to_newest();
    }

    /// Reads `ring` from now on. True when it is another one than before: the reader then stands at its first
    /// frame, and of the old one nothing more is read.
    bool follow(std::shared_ptr<const HistoryRing> ring);

    /// Frame that is read next.
    std::int64_t at() const noexcept { return at_; }
    /// Frames there are to read, also when the first of them are gone by now.
    std::int64_t waiting() const noexcept { return ring_ ? ring_->written() - at_ : 0; }
    int channels() const noexcept { return ring_ ? ring_->channels() : 0; }

    void seek(std::int64_t frame) noexcept { at_ = frame; }
    /// The next frame to read is `before` frames back from the newest one, or the ring's first.
    void skip_to_newest(std::int64_t before = 0) noexcept;

    /// The next to.frames frames, all of them or none; `to` has at least the ring's channels, those beyond
    /// stay as they are. Does not move when it is overtaken (seek() or skip_to_newest() say where to go on).
    Got read(const AudioBlock& to) noexcept;

    /// The next frames, at most `most`, in a buffer of the reader's own that stays until the next call. With
    /// `Got::nothing` and `Got::overtaken` the block is empty.
    Got next(int most, AudioBlock& piece);
    /// The same, as the mean of the channels.
    Got next_mono(int most, std::span<const float>& piece);

  private:
    std::shared_ptr<const HistoryRing> ring_;
    std::int64_t at_ = 0;
    AudioBuffer buffer_;
};

}  // namespace reed
