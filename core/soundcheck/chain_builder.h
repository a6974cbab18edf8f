// Builds one order of stages for a soundcheck, each stage set by what comes to it.
#pragma once

#include <atomic>
#include <span>
#include <string_view>
#include <vector>

#include "soundcheck/proposal.h"
#include "soundcheck/suppression_choice.h"

namespace reed {

/// What a place in an order is for; which stage, if any, is decided by the facts.
enum class StageRole { gain, plosives, low_cut, suppression, gate, tone, deesser, compressor, limiter };

struct StageOrder {
    std::string_view id;
    std::vector<StageRole> roles;
};

/// The orders that are tried: common practice (no source), the limiter always last.
std::span<const StageOrder> stage_orders();

struct BuiltChain {
    ChainSpec chain;
    std::vector<SoundcheckLine> lines;
    ChainRun run;  ///< of the recordings through the chain
};

/// How far orders that are tried on several threads are, and whether to go on.
struct TrialControl {
    std::atomic<bool> stop = false;
    std::atomic<size_t> roles = 0;  ///< places of all orders that are done
};

/// Builds the stages one after the other, rendering each over the recordings before the next is set. Returns
/// an error if stopped, which is looked at before each stage.
Result<BuiltChain> build_chain(const SoundcheckFacts& facts, const StepSound& steps, const StageOrder& order,
                               double target, SuppressionRuns& shared, TrialControl& control);

}  // namespace reed
