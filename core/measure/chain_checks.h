// Checks of a whole chain, beside those of single stages.
#pragma once

#include <optional>
#include <vector>

#include "chain/chain_spec.h"
#include "measure/level_statistics.h"

namespace reed {

/// One problem of a chain, with its evidence.
struct ChainCheck {
    Finding finding;         ///< id, warning, text, quantities: one sentence with the evidence
    std::string_view brief;  ///< the same in a few words, with the placeholders of its text
    std::string_view words;  ///< text of the button that mends it; empty if no single change does
    ChainSpec mended;        ///< the chain with that change
};

enum class LimiterPlace { last, missing, not_last };
/// Position of the last active limiter among the active stages.
LimiterPlace limiter_place(const ChainSpec& chain);

/// Problems of the order and of what the stages do together, the most important first. Bypassed stages don't
/// count. `limited`: whether the strip needs a limiter of its own (a single voice). `levels` may be of
/// another chain; then only the order is checked. Ids: no_limiter, limiter_not_last, suppression_twice,
/// suppression_after_makeup, gate_before_suppression, limiter_on_speech, makeup_lifts_noise. No change moves
/// the loudness away from a target that it was set for: the advice on loudness would take it back.
std::vector<ChainCheck> chain_checks(const ChainSpec& chain, const LevelReport& levels, bool limited);

/// The first stage that typical speech does not leave though it comes in: above kSpeechHeard before it, below
/// kSpeechGone after it. Nothing if speech leaves the chain, or is not known.
std::optional<size_t> silencing_stage(const LevelReport& levels);
inline constexpr double kSpeechHeard = -60.0, kSpeechGone = -75.0;  ///< dBFS, median of speech (empirical)

/// `chain` with `db` more gain before everything: by its first stage if that is a gain that is not bypassed,
/// as far as its range goes, else by a new one.
ChainSpec with_input_gain(ChainSpec chain, double db);

/// Ordinary speech that a limiter reduces by more than this, in dB, is too loud for it; noise in pauses above
/// this, in dBFS, is audible behind a voice (common practice, no source).
inline constexpr double kLimiterOnSpeech = 2.0, kAudibleNoise = -50.0;

}  // namespace reed
