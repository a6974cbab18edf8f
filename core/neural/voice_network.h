// A neural network that estimates the share of voice per band, and whether there is speech, frame by frame.
#pragma once

#include <memory>

#include "base/result.h"

namespace reed {

/// One channel. Allocates on creation only; its functions are real-time safe: no allocation, no blocking.
class VoiceNetwork {
  public:
    static constexpr int kRate = 48000;  ///< Hz
    static constexpr int kFrame = 480;   ///< samples per frame, 10 ms
    static constexpr int kBands = 22;

    virtual ~VoiceNetwork() = default;

    /// `in`: kFrame samples, full scale +-1. `gains`: kBands amplitude gains, 0 to 1, for the newest two
    /// frames. `voice`: probability that they contain speech, 0 to 1. Returns false if the network has
    /// failed; both are unchanged then.
    virtual bool judge(const float* in, float* gains, float& voice) = 0;
    /// Clears its state.
    virtual void restart() = 0;
    /// Copies the state of `other`, of the same kind. False on failure.
    virtual bool follow(const VoiceNetwork& other) = 0;

    /// Centre of a band in Hz, 0 to 20000. Bands overlap triangularly up to the centres of their neighbours.
    static float band_hz(int band);
};

/// A recurrent network on critical bands (J.-M. Valin, "A hybrid DSP/deep learning approach to
/// real-time full-band speech enhancement", IEEE MMSP 2018; the pinned npm package, see CMakeLists.txt here).
/// Returns an error if there is not enough memory. Any thread but the audio thread.
Result<std::unique_ptr<VoiceNetwork>> make_voice_network();

}  // namespace reed
