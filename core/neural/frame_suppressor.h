// Suppression by a network, one frame at a time, whatever network it is.
#pragma once

#include <memory>

#include "base/result.h"

namespace reed {

/// One channel. All memory is taken when it is made; the members below neither allocate nor wait.
class FrameSuppressor {
  public:
    static constexpr int kRate = 48000;  ///< Hz of its sound
    static constexpr int kFrame = 480;   ///< samples per frame, 10 ms

    virtual ~FrameSuppressor() = default;

    /// kFrame samples, full scale +-1, in and out (they may be the same); `voice` gets the probability that
    /// the frame holds speech, 0 to 1. False when it can't go on: `out` and `voice` are then left alone.
    virtual bool process(const float* in, float* out, float& voice) = 0;
    /// Samples by which the sound in `out` lags behind `in`.
    virtual int delay() const = 0;
    /// Forgets all it has heard.
    virtual void restart() = 0;
};

/// A recurrent network on bands of the ear's width (the pinned npm package, see core/neural/CMakeLists.txt).
/// Fails when there is not enough memory. Any thread, but not the audio thread.
Result<std::unique_ptr<FrameSuppressor>> make_frame_suppressor();

}  // namespace reed
