// The three ways of taking noise out, behind one interface. One object is one channel.
#pragma once

#include <memory>

#include "neural/voice_network.h"
#include "suppression/noise_profile.h"

namespace reed {

/// Memory is taken when it is made; the members run on the audio thread.
class Suppressor {
  public:
    virtual ~Suppressor() = default;

    /// Any number of frames; `out` lags behind `in` by latency(); they may be the same.
    virtual void process(const float* in, float* out, int frames) = 0;
    /// Exact delay in frames.
    virtual int latency() const = 0;
    /// How far noise is lowered, in dB, -60 to 0.
    virtual void set_amount(double) {}
    /// 0 (quick, may warble) to 1 (slow, may smear).
    virtual void set_smoothing(double) {}
    /// True: what no voice is goes, however loud. Only the method with a network knows.
    virtual void set_voice_only(bool) {}
    virtual void reset() = 0;
    /// Goes on from where `other`, made alike, is. False when it is of another kind. Takes no memory.
    virtual bool follow(const Suppressor& other) = 0;
    /// Probability of speech in the newest sound, 0 to 1; below 0: the method does not know.
    virtual float voice() const { return -1.0f; }
    /// Something inside broke: the sound passes unchanged, with the same delay, from then on.
    virtual bool failed() const { return false; }
};

/// Tracks the noise without a profile and subtracts it as make_profile_suppressor() does. The noise under the
/// speech comes from minima-controlled recursive averaging (I. Cohen, IEEE Signal Processing Letters 9 (1),
/// 2002), guided by NoiseUpdateControl: held notes and what began with a jump are no room for 15 s, a room
/// that changes while there is no speech is followed within half a second. A first guess takes 0.3 s, during
/// which the sound passes. Frames, latency and exactness as make_profile_suppressor(). (SpeexDSP's
/// preprocessor is compared in bench/suppression: it falls 5 to 8 dB short of its amount in steady noise.)
std::unique_ptr<Suppressor> make_adaptive(double sample_rate, bool short_delay);

/// As adaptive, and a network says what is voice. What stands 6 to 12 dB above the room is not taken away
/// only because the network does not know it, unless set_voice_only(). Its word is up to 10 ms old. `offset`:
/// samples at 48 kHz, 0 to 479, by which its frames are moved against those of other channels. Without a
/// network it has failed.
std::unique_ptr<Suppressor> make_neural(double sample_rate, bool short_delay,
                                        std::unique_ptr<VoiceNetwork> network, int offset);

/// Subtracts a learnt spectrum. Frames of 20 ms (10 ms for `short_delay`) overlapping by three quarters;
/// latency: one frame. Per band of a frame: the a-priori SNR by the decision-directed rule (Y. Ephraim and
/// D. Malah, IEEE Trans. ASSP 32 (6), 1984), the log-spectral amplitude gain (the same, ASSP 33 (2), 1985),
/// and the probability that speech is there, by which the gain moves between that and the amount
/// (I. Cohen and B. Berdugo, Signal Processing 81, 2001). With an empty tone, or amount 0, the sound comes
/// out as it was (error below -120 dB). Where the room grows louder than the tone, it is followed as by
/// make_adaptive().
std::unique_ptr<Suppressor> make_profile_suppressor(double sample_rate, bool short_delay,
                                                    const NoiseProfile& tone);

}  // namespace reed
