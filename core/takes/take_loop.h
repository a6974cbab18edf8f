// A take made ready to go round, alone and beside another one.
#pragma once

#include <memory>

#include "takes/take.h"
#include "takes/take_player.h"

namespace reed {

/// A sound at another rate and in as many channels: one in both, or the mean of two.
AudioBuffer fitted(AudioBuffer sound, double from_rate, const StreamFormat& to);

/// The part of a take from `from` to `to` seconds, as a loop in `format`; no more than kMostLoopSamples (of
/// all channels) of it.
inline constexpr double kMostLoopSamples = 64e6;
Result<std::shared_ptr<Loop>> load_loop(const Take& take, double from, double to, const StreamFormat& format);

/// Two sides over a loop, at equal loudness, each as it is after the first round.
struct ComparedLoops {
    std::shared_ptr<LoopPair> pair;
    Compared figures;  ///< without the sounds
};
/// `other`: the first side's own take, which goes round in the loop's time (what is longer is cut, what is
/// shorter ends in silence); empty: the loop.
Result<ComparedLoops> compare_loops(const Side& a, const Side& b, const Loop& loop,
                                    const StreamFormat& format, const std::filesystem::path& other = {},
                                    const Progress& progress = {});

}  // namespace reed
