// FIFO between two audio streams.
#pragma once

#include <cstdint>
#include <limits>
#include <memory>

#include "base/audio_block.h"
#include "base/ring_reader.h"

namespace reed {

/// If both streams run in the same PipeWire cycle, in a fixed order, it holds exactly one block. If PipeWire
/// converts the sample rate, the block lengths of both sides vary; with independent clocks the order varies
/// too. Some frames are then kept in reserve. One writer thread and one reader thread, except for prepare().
class StreamFifo {
  public:
    /// Reserve in frames if the rate is converted: more than the variation of the block length.
    static constexpr int kStore = 64;
    /// Number of reads after which a constant surplus is dropped, because it would be permanent latency.
    static constexpr int kPatience = 200;

    /// Clears it. Allocates. `store`: reserve in frames after set_converted(true), at most 4000.
    void prepare(int channels, int store = kStore);
    void set_converted(bool yes) noexcept { keep_ = yes ? store_ : 0; }
    void write(const AudioBlock& block) noexcept;
    /// Fills `out`; false if there were not enough frames and silence was inserted.
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
    std::int64_t least_ = 0;  ///< smallest surplus of the last reads
};

}  // namespace reed
