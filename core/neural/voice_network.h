// A network that judges sound, one frame at a time: how much of each band is voice, and whether anybody
// speaks.
#pragma once

#include <memory>

#include "base/result.h"

namespace reed {

/// One channel. All memory is taken when it is made; the members below neither allocate nor wait.
class VoiceNetwork {
  public:
    static constexpr int kRate = 48000;  ///< Hz of its sound
    static constexpr int kFrame = 480;   ///< samples per frame, 10 ms
    static constexpr int kBands = 22;

    virtual ~VoiceNetwork() = default;

    /// `in`: kFrame samples, full scale +-1. `gains`, kBands of them, 0 to 1: by how much the amplitude in a
    /// band is to be lowered over the newest two frames; `voice`: probability that they hold speech, 0 to 1.
    /// False when it can't go on: both are then left alone.
    virtual bool judge(const float* in, float* gains, float& voice) = 0;
    /// Forgets all it has heard.
    virtual void restart() = 0;
    /// Has heard from now on what `other`, of the same kind, has. False when it could not.
    virtual bool follow(const VoiceNetwork& other) = 0;

    /// Centre of a band in Hz, 0 to 20000; it fades out to its neighbours' centres.
    static float band_hz(int band);
};

/// A recurrent network on bands of the ear's width (J.-M. Valin, "A hybrid DSP/deep learning approach to
/// real-time full-band speech enhancement", IEEE MMSP 2018; the pinned npm package, see CMakeLists.txt here).
/// Fails when there is not enough memory. Any thread, but not the audio thread.
Result<std::unique_ptr<VoiceNetwork>> make_voice_network();

}  // namespace reed
