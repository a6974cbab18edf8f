// The pitch of a voice.
#pragma once

#include <vector>

#include "dsp/biquad_cascade.h"

namespace reed {

/// YIN (A. de Cheveigne and H. Kawahara, "YIN, a fundamental frequency estimator for speech and music", JASA
/// 111 (4), 2002), steps 1 to 5, on the sound below 1.5 kHz. Only prepare() allocates.
class PitchDetector {
  public:
    /// Hz: a deep voice, and a scream.
    static constexpr double kLowest = 65.0, kHighest = 700.0;

    void prepare(double sample_rate);
    void reset();

    /// The next sound, one channel, in place: leaves what it listens to, the sound below 1.5 kHz.
    void add(float* x, int frames);
    /// Frames of one period of the newest 31 ms; 0 where nothing repeats itself.
    double find();

  private:
    double difference(size_t lag) const;

    int every_ = 1, counted_ = 0;
    size_t shortest_ = 1, longest_ = 1;
    bool voiced_ = false;
    BiquadCascade low_;
    std::vector<float> sound_;     // oldest first
    std::vector<double> differs_;  // by lag
};

}  // namespace reed
