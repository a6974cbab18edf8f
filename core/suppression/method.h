// The three ways of taking noise out, behind one interface. One object is one channel.
#pragma once

#include <memory>

#include "neural/frame_suppressor.h"
#include "suppression/room_tone.h"

namespace reed {

/// Memory is taken when it is made; the members run on the audio thread.
class SuppressionMethod {
  public:
    virtual ~SuppressionMethod() = default;

    /// Any number of frames; `out` lags behind `in` by latency(); they may be the same.
    virtual void process(const float* in, float* out, int frames) = 0;
    /// Exact delay in frames.
    virtual int latency() const = 0;
    /// How far noise is lowered, in dB, -60 to 0. Methods that know no amount ignore it.
    virtual void set_amount(double) {}
    /// 0 (quick, may warble) to 1 (slow, may smear).
    virtual void set_smoothing(double) {}
    virtual void reset() = 0;
    /// Probability of speech in the newest sound, 0 to 1; below 0: the method does not know.
    virtual float voice() const { return -1.0f; }
    /// Something inside broke: the sound passes unchanged, with the same delay, from then on.
    virtual bool failed() const { return false; }
};

/// Follows the noise by itself and subtracts it as make_room_tone() does. The noise under the speech comes
/// from minima-controlled recursive averaging (I. Cohen, IEEE Signal Processing Letters 9 (1), 2002); it
/// needs 0.3 s for a first guess, during which the sound passes, and 1.5 to 3 s to follow a louder room.
/// Frames, latency and exactness as make_room_tone(). (SpeexDSP's preprocessor is compared in
/// bench/suppression: it falls 5 to 8 dB short of its amount in steady noise.)
std::unique_ptr<SuppressionMethod> make_adaptive(double sample_rate, bool short_delay);

/// A network. Latency at 48 kHz: 10 ms to collect a frame and the network's own 10 ms; at other rates the
/// conversion's as well. What it takes is all or nothing; the amount is the caller's mix.
std::unique_ptr<SuppressionMethod> make_neural(double sample_rate, std::unique_ptr<FrameSuppressor> network);

/// Subtracts a learnt spectrum. Frames of 20 ms (10 ms for `short_delay`) overlapping by three quarters;
/// latency: one frame. Per band of a frame: the a-priori SNR by the decision-directed rule (Y. Ephraim and
/// D. Malah, IEEE Trans. ASSP 32 (6), 1984), the log-spectral amplitude gain (the same, ASSP 33 (2), 1985),
/// and the probability that speech is there, by which the gain moves between that and the amount
/// (I. Cohen and B. Berdugo, Signal Processing 81, 2001). With an empty tone, or amount 0, the sound comes
/// out as it was (error below -120 dB).
std::unique_ptr<SuppressionMethod> make_room_tone(double sample_rate, bool short_delay, const RoomTone& tone);

}  // namespace reed
