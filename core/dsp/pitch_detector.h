// Pitch detection.
#pragma once

#include <vector>

#include "dsp/biquad_cascade.h"

namespace reed {

/// YIN (A. de Cheveigne and H. Kawahara, "YIN, a fundamental frequency estimator for speech and music", JASA
/// 111 (4), 2002), steps 1 to 5, on the signal below 1.5 kHz. Only prepare() allocates.
class PitchDetector {
  public:
    /// Range in Hz, from a deep voice to a scream.
    static constexpr double kLowest = 65.0, kHighest = 700.0;

    void prepare(double sample_rate);
    void reset();

    /// Adds audio of one channel; low-passes it in place to 1.5 kHz.
    void add(float* x, int frames);
    /// Period of the newest 31 ms in frames; 0 if they are not periodic.
    double find();

  private:
    double difference(size_t lag) const;

    int every_ = 1, counted_ = 0;
    size_t shortest_ = 1, longest_ = 1;
    bool voiced_ = false;
    BiquadCascade low_;
    std::vector<float> sound_;     // oldest sample first
    std::vector<double> differs_;  // by lag
};

}  // namespace reed
