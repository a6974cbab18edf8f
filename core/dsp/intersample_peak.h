// Peaks between the samples, as a converter will produce them.
#pragma once

#include <array>
#include <vector>

namespace reed {

/// Estimates the true peak by fourfold oversampling, as ITU-R BS.1770 (Annex 2) asks for at 48 kHz. The
/// interpolator is a Hann-windowed sinc with 12 taps a phase, as many as the annex's example has.
class IntersamplePeak {
  public:
    static constexpr int kTaps = 12;
    static constexpr int kPhases = 4;
    /// Frames by which next() lags behind its input.
    static constexpr int kDelay = kTaps / 2;

    IntersamplePeak();
    void reset();

    /// Takes one sample; returns the largest absolute value of the sample kDelay frames ago and of the
    /// three points between it and its successor.
    float next(float in);

  private:
    alignas(16) std::array<std::array<float, kTaps>, kPhases - 1> taps_{};
    alignas(16) std::array<float, 2 * kTaps> ring_{};  // every sample twice, so that a window is contiguous
    int position_ = 0;
};

}  // namespace reed
