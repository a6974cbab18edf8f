// Sound taken from inside the chain while it runs: for spectra, and for the ears.
#pragma once

#include <atomic>

#include "base/history_ring.h"

namespace reed {

/// The last seconds before and after one stage. The audio thread writes, anyone reads.
struct Probe {
    Probe() = default;
    Probe(int channels, size_t frames) : before(channels, frames), after(channels, frames) {}

    std::atomic<int> stage{-1};  ///< index in the chain; -1: nothing is taken
    HistoryRing before, after;
};

/// What one call of Chain::process() hands out besides its result.
struct Listener {
    Probe* probe = nullptr;
    int tap = -1;    ///< the sound at this tap (0: input) is copied to `out`; -1: none
    AudioBlock out;  ///< as long as the block that is processed
};

}  // namespace reed
