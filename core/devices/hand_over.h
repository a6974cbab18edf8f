// Samples on their way from the capture to the virtual microphone.
#pragma once

#include <cstdint>
#include <limits>
#include <memory>

#include "base/audio_block.h"
#include "base/ring_reader.h"

namespace reed {

/// Both streams run in one cycle of the daemon, capture first, so normally it holds exactly one block. Where
/// the daemon converts the rate, the blocks of both sides differ by some frames from cycle to cycle, each in
/// its own rhythm: a few frames are then kept in store. Audio thread, but for prepare().
class HandOver {
  public:
    /// Kept in store where the rate is converted, in frames: more than the blocks of a cycle differ by.
    static constexpr int kStore = 64;
    /// Reads after which a surplus that never went away is left out (it would be delay for the whole
    /// evening).
    static constexpr int kPatience = 200;

    /// Empties it. Allocates.
    void prepare(int channels);
    void set_converted(bool yes) noexcept { keep_ = yes ? kStore : 0; }
    void write(const AudioBlock& block) noexcept;
    /// Fills `out`; false when there was not enough and silence took its place.
    bool read(const AudioBlock& out) noexcept;

  private:
    void skip_to(std::int64_t surplus, int frames) noexcept {
        reader_.skip_to_newest(frames + surplus);
        forget();
    }
    void forget() noexcept {
        reads_ = 0;
        least_ = std::numeric_limits<std::int64_t>::max();
    }
    std::shared_ptr<HistoryRing> ring_;
    RingReader reader_;
    int keep_ = 0;
    bool begun_ = false;
    int reads_ = 0;
    std::int64_t least_ = 0;  ///< the smallest surplus of the last reads
};

}  // namespace reed
