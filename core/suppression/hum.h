// Mains hum: detection and narrow notch filters.
#pragma once

#include <optional>
#include <span>

#include "base/audio_block.h"
#include "dsp/biquad_cascade.h"
#include "dsp/smoothed.h"

namespace reed {

inline constexpr int kMaxHumHarmonics = 16;

struct Hum {
    double frequency = 0.0;   ///< fundamental frequency in Hz, about 50 or 60
    int tones = 0;            ///< highest harmonic that was found, 1 to kMaxHumHarmonics
    double prominence = 0.0;  ///< dB of the strongest tone above the spectrum beside it
    double level = 0.0;       ///< dBFS (AES17) of all tones together
};

/// Detects mains hum in `sound` (at least 2 s; at most 10 s are used, longer is more reliable). Empty if
/// there are no tones at multiples of 50 or 60 Hz (+-0.6 %): the fundamental or the second harmonic, and two
/// tones in all, must be 10 dB above the spectrum beside them. Music and voices may mask hum but are not
/// taken for it, because tones must be present in both halves of the sound.
std::optional<Hum> find_hum(std::span<const float> sound, double sample_rate);

/// Width in Hz between the -3 dB points of the notch of harmonic `n` (1 is the fundamental). The mains
/// frequency varies by some tenths of a per cent, and harmonics n times as much.
constexpr double hum_notch_width(int n) {
    return 2.0 + 0.2 * n;
}

/// Notch filters at a frequency and its multiples. Audio thread only.
class HumNotches {
  public:
    void prepare(double sample_rate, double frequency, int tones);
    /// Sets them at once, with cleared state. Call at a sub-block boundary while they are not audible.
    void begin(double frequency, int tones);
    /// Moves to another frequency, and fades tones in and out. Call at a sub-block boundary.
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
