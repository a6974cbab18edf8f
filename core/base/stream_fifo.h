// Samples on their way from one stream to another.
#pragma once

#include <cstdint>
#include <limits>
#include <memory>

#include "base/audio_block.h"
#include "base/ring_reader.h"

namespace reed {

/// Where both streams run in one cycle of the daemon, in one order, it normally holds exactly one block.
/// Where the daemon converts the rate, the blocks of both sides differ by some frames from cycle to cycle,
/// each in its own rhythm, and where they have clocks of their own they come when they come: some frames are
/// then kept in store. One thread writes and one reads, but for prepare().
class StreamFifo {
  public:
    /// Kept in store where the rate is converted, in frames: more than the blocks of a cycle differ by.
    static constexpr int kStore = 64;
    /// Reads after which a surplus that never went away is left out (it would be delay for the whole
    /// evening).
    static constexpr int kPatience = 200;

    /// Empties it. Allocates. `store`: frames kept where set_converted() says that there must be some, 4000
    /// at most.
    void prepare(int channels, int store = kStore);
    void set_converted(bool yes) noexcept { keep_ = yes ? store_ : 0; }
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
    int store_ = kStore, keep_ = 0;
    bool begun_ = false;
    int reads_ = 0;
    std::int64_t least_ = 0;  ///< the smallest surplus of the last reads
};

}  // namespace reed
