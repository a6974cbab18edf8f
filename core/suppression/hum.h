// Mains hum: found in the pauses, taken out by narrow notches.
#pragma once

#include <optional>
#include <span>

#include "base/audio_block.h"
#include "dsp/biquad_cascade.h"
#include "dsp/smoothed.h"

namespace reed {

inline constexpr int kMaxHumHarmonics = 16;

struct Hum {
    double frequency = 0.0;   ///< Hz of the lowest tone: about 50 or 60
    int tones = 0;            ///< the highest harmonic that stands out, 1 to kMaxHumHarmonics
    double prominence = 0.0;  ///< dB by which the strongest tone stands above the sound beside it
    double level = 0.0;       ///< dBFS (AES17) of all tones together
};

/// Looks for mains hum in `sound` (at least 2 s; the longer, the surer, 10 s at most are used). Nothing when
/// no row of tones at the multiples of 50 or 60 Hz (+-0.6 %) stands out: the fundamental or the second
/// harmonic, and two tones in all, must rise 10 dB above the spectrum beside them. Music and voices in the
/// sound may hide it but do not pass for it: tones must be there in both halves of the sound.
std::optional<Hum> find_hum(std::span<const float> sound, double sample_rate);

/// Width in Hz between the -3 dB points of the notch of harmonic `n` (1 is the fundamental): mains frequency
/// wanders by some tenths of a per cent, and harmonics wander n times as far.
constexpr double hum_notch_width(int n) {
    return 2.0 + 0.2 * n;
}

/// Notches at a frequency and its multiples. Runs on the audio thread.
class HumNotches {
  public:
    void prepare(double sample_rate, double frequency, int tones);
    /// At a grain boundary, while nobody hears them: at once, and with nothing ringing in them.
    void begin(double frequency, int tones);
    /// At a grain boundary: moves to another frequency, fades tones in and out.
    void set(double frequency, int tones);
    void process(const AudioBlock& block);
    void reset();

  private:
    struct Tone {
        BiquadCascade runner;
        Smoothed wet;
        bool used() const { return wet.moving() || wet.sub_block_value() > 0.0; }
        bool still() const { return !runner.moving() && !wet.moving() && wet.sub_block_value() == 1.0; }
    };
    Sections section(int tone) const;

    double rate_ = 48000.0;
    Smoothed frequency_;
    std::array<Tone, kMaxHumHarmonics> tones_;
};

}  // namespace reed
