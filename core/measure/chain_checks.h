// Checks of a whole chain, beside those of single stages.
#pragma once

#include <vector>

#include "chain/chain_spec.h"
#include "measure/level_statistics.h"

namespace reed {

/// One problem of a chain, with its evidence.
struct ChainCheck {
    Finding finding;         ///< id, warning, text, quantities: one sentence with the evidence
    std::string_view brief;  ///< the same in a few words, with the same placeholders
    std::string_view words;  ///< text of the button that mends it
    ChainSpec mended;        ///< the chain without the problem
};

/// Problems of the order and of what the stages do together, the most important first. Bypassed stages don't
/// count. `limited`: whether the strip needs a limiter of its own (a single voice). `levels` may be of
/// another chain; then only the order is checked. Ids: no_limiter, limiter_not_last, suppression_twice,
/// suppression_after_makeup, gate_before_suppression, limiter_on_speech, makeup_lifts_noise.
std::vector<ChainCheck> chain_checks(const ChainSpec& chain, const LevelReport& levels, bool limited);

/// Ordinary speech that a limiter reduces by more than this, in dB, is too loud for it; noise in pauses above
/// this, in dBFS, is heard behind a voice (common practice, no source).
inline constexpr double kLimiterOnSpeech = 2.0, kNoiseHeard = -50.0;

}  // namespace reed
