// Feedback building up between loudspeaker and microphone.
#pragma once

#include <span>
#include <vector>

#include "dsp/fourier.h"

namespace reed {

/// A howl is one tone that holds nearly all of the sound, stays at its frequency, and is loud or growing;
/// voices glide and have harmonics. Frames of 43 ms (2048 at 48 kHz), half overlapping.
class HowlDetector {
  public:
    explicit HowlDetector(double sample_rate);

    /// True once a howl has lasted: 80 % of the power within three bins, the same for 0.4 s, between 100 Hz
    /// and 12 kHz, above -40 dBFS and not fading, or above -12 dBFS for 0.25 s. These figures are our choice.
    bool add(std::span<const float> sound);
    void restart();
    /// Hz of the tone last suspected.
    double frequency() const { return frequency_; }

  private:
    bool look();
    double sample_rate_;
    Fourier fourier_;
    std::vector<float> window_, waiting_;
    size_t bin_ = 0;
    int lasted_ = 0, loud_ = 0;
    double first_power_ = 0.0, last_power_ = 0.0, frequency_ = 0.0;
};

}  // namespace reed
