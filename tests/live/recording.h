// What a live recording can prove: the plain source stands beside what is judged, and only where the source
// is whole is anything judged. A daemon whose processor is taken away loses cycles whatever the program does.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "base/audio_block.h"

namespace reed::test {

/// A stretch of a recording that equals what was played, sample by sample.
struct Stretch {
    size_t first = 0;   ///< frame of the recording
    size_t length = 0;  ///< frames
    size_t played = 0;  ///< frame of what was played at `first`
};

/// The stretches of at least `least` frames in which `recorded` equals `played` to within one part in a
/// million of full scale. `played` must not repeat itself (add a little noise to tones and pauses).
std::vector<Stretch> whole_stretches(const std::vector<float>& recorded, const std::vector<float>& played,
                                     size_t least);

/// `plain`, but silent where `beside`, another source that plays the same, is not whole: nothing is judged
/// there.
std::vector<float> where_both_are_whole(std::vector<float> plain, const std::vector<float>& beside,
                                        const std::vector<float>& played);

/// How a recording is judged, in frames of the recording.
struct Judging {
    size_t settle = 24000;      ///< not judged at the beginning of a stretch: the state of before rings out
    size_t piece = 12000;       ///< judged at a time, each at its own alignment
    size_t most_delay = 24000;  ///< of the heard sound behind the plain one
    double equal_db = -100.0;   ///< residue against the wanted sound that counts as equal
};

/// Pieces that could be judged because the source was whole, and those of them that came out as wanted.
struct Judged {
    int pieces = 0;
    int equal = 0;
    std::vector<size_t> delays;  ///< of the equal pieces, in frames
    std::string told;            ///< per piece, for the test's message
};

/// Compares `heard` with `wanted` (what should come of `plain`, frame by frame) where `plain` equals
/// `played`. Pieces in which nothing is wanted (below -60 dBFS) are left out.
Judged judge(const std::vector<float>& plain, const std::vector<float>& heard,
             const std::vector<float>& wanted, const std::vector<float>& played, const Judging& how = {});

/// How many frames later each stretch of `played` stands in `heard` than in `plain`, where both hold at least
/// `least` frames of it sample by sample.
std::vector<size_t> delays_between(const std::vector<float>& plain, const std::vector<float>& heard,
                                   const std::vector<float>& played, size_t least);

/// Where `part` lies best in `whole` (in frames), by correlation; looked for from `first` to `last`.
size_t align(const std::vector<float>& whole, const std::vector<float>& part, size_t first, size_t last);

/// One recording of two channels: the plain source left, what is judged right.
struct PairRecording {
    std::vector<float> plain, heard;
};

/// Runs `attempt` until it judged at least `enough` pieces, six times or for 20 s at the most, and asks with
/// Catch2 that every judged piece came out as wanted. Too few whole pieces in all tries fail with that
/// reason.
void require_equal(const std::function<Judged()>& attempt, int enough);

}  // namespace reed::test
