// A stage at its place in a running chain.
#pragma once

#include <cstdint>
#include <memory>
#include <string>

#include "chain/chain_spec.h"
#include "dsp/delay_line.h"
#include "dsp/smoothed.h"

namespace reed {

/// False when a value is no finite number, or above +120 dBFS: no sound card sends it, a broken stage might.
bool healthy(const AudioBlock& block) noexcept;
/// Replaces such values by silence. Returns their number.
std::uint64_t repair(const AudioBlock& block) noexcept;
/// The last thing that is done to a block before it leaves the program: one that is not healthy becomes
/// silence as a whole. False then.
bool silence_unhealthy(const AudioBlock& block) noexcept;

struct Link {
    std::string id, kind, key;
    int lead = 0;  ///< delay of the stages before it
    std::unique_ptr<Stage> stage;
    Smoothed active;  ///< 1: through the stage, 0: bypassed
    bool may_rest = false, resting = false;
    DelayLine dry[kMaxChannels];
    size_t first_slot = 0;
    size_t slot_count = 0;  ///< parameter values; one more slot for bypass follows

    /// Returns a link that is ready to run. A stage kind that is not installed passes its input unchanged.
    static Link make(const StageSpec& spec, const StreamFormat& format);
    /// In place. At most kSubBlock frames, which must not cross a sub-block boundary. Returns how many
    /// samples were repaired.
    std::uint64_t run(const AudioBlock& block) noexcept;
};

}  // namespace reed
