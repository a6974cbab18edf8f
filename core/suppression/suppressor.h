// Interface of the three noise suppression methods. One object processes one channel.
#pragma once

#include <memory>

#include "neural/voice_network.h"
#include "suppression/noise_profile.h"

namespace reed {

/// Allocates on creation only. Its functions are real-time safe: no allocation, no blocking.
class Suppressor {
  public:
    virtual ~Suppressor() = default;

    /// Processes any number of frames. `out` is delayed by latency() and may be the same buffer as `in`.
    virtual void process(const float* in, float* out, int frames) = 0;
    /// Exact latency in frames.
    virtual int latency() const = 0;
    /// Sets the attenuation of noise in dB, -60 to 0.
    virtual void set_amount(double) {}
    /// Sets the smoothing, 0 (fast, may warble) to 1 (slow, may smear).
    virtual void set_smoothing(double) {}
    /// True: removes everything that is no voice, at any level. Only the neural method supports it.
    virtual void set_voice_only(bool) {}
    virtual void reset() = 0;
    /// Copies the state of `other`, created with the same arguments. False if it is of another method.
    /// Real-time safe.
    virtual bool follow(const Suppressor& other) = 0;
    /// Probability of speech in the newest input, 0 to 1; negative if the method does not know it.
    virtual float voice() const { return -1.0f; }
    /// Whether the method has failed: audio then passes unchanged, with the same latency.
    virtual bool failed() const { return false; }
};

/// Adaptive method: estimates the noise without a profile, and attenuates it as make_profile_suppressor()
/// does. The noise is estimated by minima-controlled recursive averaging (I. Cohen, IEEE Signal Processing
/// Letters 9 (1), 2002), controlled by NoiseUpdateControl: sustained notes and sounds that began with a step
/// are not noise for 15 s; noise that changes without speech is tracked within 0.5 s. The initial estimate
/// takes 0.3 s, during which audio passes unchanged. Frames, latency and accuracy as
/// make_profile_suppressor(). (bench/suppression compares SpeexDSP's preprocessor: 5 to 8 dB less than its
/// setting in steady noise.)
std::unique_ptr<Suppressor> make_adaptive(double sample_rate, bool short_delay);

/// Neural method: as the adaptive one, with a network that detects the voice. Sounds 6 to 12 dB above the
/// noise are kept even if the network does not recognise them, unless set_voice_only(). Its result is up to
/// 10 ms old. `offset`: shift of its frames against those of other channels, 0 to 479 samples at 48 kHz.
/// Fails without a network.
std::unique_ptr<Suppressor> make_neural(double sample_rate, bool short_delay,
                                        std::unique_ptr<VoiceNetwork> network, int offset);

/// Profile method: attenuates a learned spectrum. Frames of 20 ms (10 ms for `short_delay`) overlapping by
/// three quarters; latency: one frame. Per band of a frame: the a-priori SNR by the decision-directed rule
/// (Y. Ephraim and D. Malah, IEEE Trans. ASSP 32 (6), 1984), the log-spectral amplitude gain (the same, ASSP
/// 33 (2), 1985), and the speech presence probability, which moves the gain between that and the attenuation
/// (I. Cohen and B. Berdugo, Signal Processing 81, 2001). With an empty profile, or attenuation 0, audio is
/// unchanged (error below -120 dB). If the noise becomes louder than the profile, it is tracked as by the
/// adaptive method.
std::unique_ptr<Suppressor> make_profile_suppressor(double sample_rate, bool short_delay,
                                                    const NoiseProfile& tone);

}  // namespace reed
