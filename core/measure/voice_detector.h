// Speech detection for the level statistics.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "dsp/stream_resampler.h"
#include "neural/voice_network.h"

namespace reed {

/// Uses the network of noise suppression for its second output: whether a frame of 10 ms contains speech
/// (J.-M. Valin, "A hybrid DSP/deep learning approach to real-time full-band speech enhancement", IEEE MMSP
/// 2018). Not on the audio thread; takes about 1 % of a core in real time.
class VoiceDetector {
  public:
    /// `sample_rate` in Hz.
    explicit VoiceDetector(double sample_rate);

    /// Adds audio of one channel.
    void add(const float* x, int frames);
    /// Probability of speech, 0 to 1, in the 10 ms from frame `at` on, counted from the first frame added.
    /// Negative if unknown (older than kKeptSeconds, or without the network). For the newest 120 ms, which
    /// may still be in process, the value of the sound before.
    float at(std::int64_t at) const;

    static constexpr double kKeptSeconds = 20.0;

  private:
    void take(float x);

    double rate_;
    std::unique_ptr<VoiceNetwork> network_;
    std::optional<StreamResampler> resampler_;
    std::vector<float> frame_;  // input of the next frame of the network
    std::vector<float> heard_;  // ring of probabilities, one per 10 ms
    std::int64_t pieces_ = 0;   // number of values written
};

}  // namespace reed
