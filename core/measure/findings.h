// What the levels say about input, stages and feed.
#pragma once

#include "chain/chain_spec.h"
#include "measure/level_statistics.h"

namespace reed {

/// Judges stage `index` of `chain` by the levels before and after it, as its kind does
/// (StageKind::finding).
Finding stage_finding(const ChainSpec& chain, size_t index, const LevelReport& levels);

/// A finding about the whole chain; its proposal is one of `stage`.
struct FeedFinding {
    Finding finding;
    size_t stage = 0;
};

/// Judges the chain as a whole by the loudness of what leaves it, in LUFS (ITU-R BS.1770, gated): how far it
/// is from `target`, and the one thing to turn first. A voice is brought to about -22 dBFS by the gain before
/// the rest is left to the make-up (common practice, no source). Nothing to say before a voice was heard.
FeedFinding feed_finding(const ChainSpec& chain, const LevelReport& levels, std::optional<double> loudness,
                         double target);

/// What the highest sample of talk at the microphone should be, dBFS (common practice, no source): from
/// kLowPeak to kHotPeak is right, kUsualPeak is in the middle of it.
inline constexpr double kHotPeak = -6.0, kUsualPeak = -12.0, kLowPeak = -15.0;

/// Judges the level of the microphone itself: too low, right, too hot, and by how much.
/// `clipped`: samples clipped at the source in the time the levels are of.
Finding input_finding(const LevelReport& levels, std::uint64_t clipped);

}  // namespace reed
