// Running spectrum: averaged, with peak hold, in decibels.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "dsp/fourier.h"

namespace reed {

/// Bandwidth of a reading.
enum class SpectrumWidth {
    octave_share,  ///< power in a band of `share` octaves: pink noise is flat, white noise rises by 3 dB per
                   ///< octave
    constant,  ///< power in one bin, mean over that band: white noise is flat, pink noise falls by 3 dB per
               ///< octave
};

/// Hann window, 75 % overlap. A full-scale sine reads 0 dB at its frequency in both widths, in
/// SpectrumWidth::constant as long as `share` is 0.
class SpectrumMeter {
  public:
    /// `length`: of the transform, a power of two. `average_seconds`: time constant of the mean of powers.
    SpectrumMeter(double sample_rate, int length, double average_seconds);

    double sample_rate() const { return sample_rate_; }
    int length() const { return fourier_.length(); }
    /// Number of transforms so far.
    std::int64_t frames() const { return frames_; }

    void add(std::span<const float> sound);
    void restart();

    enum class Kind { mean, hold };
    /// Reading in dBFS (AES17) at `frequency` Hz, of a band `share` octaves wide (0: the nearest bin alone;
    /// never narrower than the window's main lobe in octave_share). kSilenceDb before the first transform.
    /// Kind::hold is the highest so far and falls by 6 dB per second.
    double level(double frequency, double share, SpectrumWidth width, Kind kind = Kind::mean) const;

    /// Mean powers per bin, scaled so that a full-scale sine has 1 in its bin.
    std::span<const double> powers() const { return mean_; }
    double bin_hz() const { return sample_rate_ / fourier_.length(); }

  private:
    void transform();

    double sample_rate_;
    Fourier fourier_;
    std::vector<float> window_, waiting_;
    std::vector<double> mean_, hold_;
    double keep_, fall_;
    double scale_ = 1.0, noise_bins_ = 1.5;  // of a sine to 1; equivalent noise bandwidth in bins
    std::int64_t frames_ = 0;
};

/// A strong, narrow, constant peak in the spectrum of the voice.
struct Resonance {
    double frequency = 0.0;  ///< Hz
    double height = 0.0;     ///< dB above the spectrum around it
    double width = 0.0;      ///< Q of a bell of the same width (at half its height in dB)
};

/// Collects the spectrum of the voice and finds its resonances.
class ResonanceFinder {
  public:
    explicit ResonanceFinder(double sample_rate);

    /// `speaking`: whether this piece contains speech. Pieces of any length.
    void add(std::span<const float> sound, bool speaking);
    void restart();
    /// Collected seconds of speech.
    double seconds() const { return seconds_; }

    /// Peaks of at least 6 dB over the mean of an octave around, narrower than half an octave, between
    /// 150 Hz and 8 kHz, present in each of the last
    /// sections of 4 s; at most `most`, the highest first. Empty before 4 s of speech.
    std::vector<Resonance> find(size_t most = 3) const;

  private:
    static constexpr int kParts = 3;
    double sample_rate_, seconds_ = 0.0, part_seconds_ = 0.0;
    std::vector<SpectrumMeter> parts_;  // the newest last
};

}  // namespace reed
