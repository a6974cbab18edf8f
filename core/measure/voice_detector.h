// Hears whether somebody speaks, for the statistics of levels.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "dsp/stream_resampler.h"
#include "neural/voice_network.h"

namespace reed {

/// The suppression's network, used for what it knows besides: whether a frame of 10 ms holds speech (J.-M.
/// Valin, "A hybrid DSP/deep learning approach to real-time full-band speech enhancement", IEEE MMSP 2018).
/// Not for the audio thread; about a hundredth of a core while it is fed in real time.
class VoiceDetector {
  public:
    /// `sample_rate` in Hz.
    explicit VoiceDetector(double sample_rate);

    /// Takes in one channel.
    void add(const float* x, int frames);
    /// Probability of speech, 0 to 1, in the 10 ms from frame `at` on, counted from the first frame taken in;
    /// below 0 where it is not known (no more after kKeptSeconds, or without the network). Of the newest 120
    /// ms, which may still be on their way, what is known of the sound just before.
    float at(std::int64_t at) const;

    static constexpr double kKeptSeconds = 20.0;

  private:
    void take(float x);

    double rate_;
    std::unique_ptr<VoiceNetwork> network_;
    std::optional<StreamResampler> resampler_;
    std::vector<float> frame_;  // what has come in of the network's next frame
    std::vector<float> heard_;  // a ring of probabilities, one per 10 ms
    std::int64_t pieces_ = 0;   // written to it
};

}  // namespace reed
