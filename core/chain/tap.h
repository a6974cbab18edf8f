// Taps: where the level is read, before the first stage and after every stage.
#pragma once

#include <readerwriterqueue/readerwriterqueue.h>

#include <cstdint>

namespace reed {

/// Length of the pieces in which taps report, in seconds.
inline constexpr double kTapFrameSeconds = 0.010;

/// One piece of 10 ms at one tap. Piece n of every tap covers the same stretch of the input: the delay of
/// the stages before it is taken out.
struct TapFrame {
    std::int64_t index = 0;     ///< n, from 0 at the start of the chain
    std::uint32_t chain = 0;    ///< serial number of the running chain it comes from
    std::int16_t tap = 0;       ///< 0: input; k: after stage k - 1
    float peak = 0.0f;          ///< largest |sample|
    float mean_square = 0.0f;   ///< of the louder channel
    float reduction_db = 0.0f;  ///< largest gain reduction of the stage before this tap, >= 0
    float voice = -1.0f;  ///< probability of speech, 0 to 1, by a stage before this tap; below 0: none knows
    float busy = 0.0f;    ///< share of the piece's time that the stage before this tap has worked
};

using TapQueue = moodycamel::ReaderWriterQueue<TapFrame>;

}  // namespace reed
