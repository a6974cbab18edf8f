// Prepares loops of takes and of comparisons.
#pragma once

#include <memory>

#include "takes/take.h"
#include "takes/take_player.h"

namespace reed {

/// Converts sample rate and channels (mono is copied to both, stereo is averaged).
AudioBuffer fitted(AudioBuffer sound, double from_rate, const StreamFormat& to);

/// Loads the part of a take from `from` to `to` seconds as a loop in `format`, at most kMostLoopSamples of
/// all channels.
inline constexpr double kMostLoopSamples = 64e6;
Result<std::shared_ptr<Loop>> load_loop(const Take& take, double from, double to, const StreamFormat& format);

/// Two sides of a comparison as loops, at equal loudness, each in its steady state.
struct ComparedLoops {
    std::shared_ptr<LoopPair> pair;
    Compared figures;  ///< without the audio
};
/// `other`: take of the first side, trimmed or padded with silence to the length of the loop; empty: the loop
/// itself.
Result<ComparedLoops> compare_loops(const Side& a, const Side& b, const Loop& loop,
                                    const StreamFormat& format, const std::filesystem::path& other = {},
                                    const Progress& progress = {});

}  // namespace reed
