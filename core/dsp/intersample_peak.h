// Peaks between the samples, as a converter produces them.
#pragma once

#include <array>

#include "base/audio_block.h"

namespace reed {

/// Estimates the true peak by fourfold oversampling, as ITU-R BS.1770 (Annex 2) requires at 48 kHz. The
/// interpolator is a Hann-windowed sinc with 12 taps per phase, as in the example of the annex.
class IntersamplePeak {
  public:
    static constexpr int kTaps = 12;
    static constexpr int kPhases = 4;
    /// Latency of process() in frames.
    static constexpr int kDelay = kTaps / 2;

    IntersamplePeak();
    void reset();

    /// Processes up to kSubBlock samples; peak[i] is raised to the largest absolute value of the sample
    /// kDelay frames before in[i] and of the three points between it and its successor. Values that can't
    /// reach `floor` may be lower than the exact ones.
    void process(const float* in, int frames, float floor, float* peak);

  private:
    std::array<std::array<float, kTaps>, kPhases - 1> taps_{};
    float most_ = 1.0f;  // upper bound of interpolated values, relative to the largest sample
    std::array<float, kTaps - 1 + kSubBlock>
        window_{};  // the newest kTaps - 1 samples, then the current block
};

}  // namespace reed
