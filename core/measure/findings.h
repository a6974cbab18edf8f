// Findings about input, stages and output.
#pragma once

#include "chain/chain_spec.h"
#include "measure/level_statistics.h"

namespace reed {

/// Evaluates stage `index` of `chain` by the levels before and after it (StageKind::finding).
Finding stage_finding(const ChainSpec& chain, size_t index, const LevelReport& levels);

/// A finding about the whole chain; its proposal is one of `stage`.
struct FeedFinding {
    Finding finding;
    size_t stage = 0;
};

/// Compares the loudness of the output in LUFS (ITU-R BS.1770, gated) with `target` and proposes the one
/// value to change first: the input gain up to a voice of about -22 dBFS, then the make-up gain (common
/// practice, no source). No finding before there was speech.
FeedFinding feed_finding(const ChainSpec& chain, const LevelReport& levels, std::optional<double> loudness,
                         double target);

/// Recommended range for the highest peak of speech at the microphone, dBFS (common practice, no source).
/// Below kLowPeak the level is still fine when the chain brings it to kOutputPeak or more and speech is well
/// above the background noise.
inline constexpr double kHotPeak = -6.0, kLowPeak = -30.0, kOutputPeak = -15.0;
/// Speech nearer to the background noise than this, in dB, can't be separated from it well (common practice,
/// no source).
inline constexpr double kNearNoise = 15.0;
/// Seconds before a new input is evaluated.
inline constexpr double kJudgeAfter = 2.0;

/// Evaluates the level of the microphone by its distance from full scale and from the background noise, and
/// by the gain that the chain adds. `clipped`: samples clipped at the source while `levels` were measured.
/// Ids: source_clips, digital_silence, no_voice, too_hot, near_noise, too_low, low, level_right.
Finding input_finding(const LevelReport& levels, std::uint64_t clipped);

}  // namespace reed
