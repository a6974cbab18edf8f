// Long-term spectra in third octaves, and what the ear and other people's speech make of them.
#pragma once

#include <array>
#include <functional>
#include <optional>
#include <span>

namespace reed {

/// Bands of one third octave from 25 Hz to 16 kHz: band k is centred at 1000 * 10^((k - 16) / 10) Hz (IEC
/// 61260-1:2014, base ten, exact mid-band frequencies).
inline constexpr size_t kThirdOctaves = 29;
/// Exact mid-band frequency of band `k` in Hz.
double third_octave_centre(size_t k);
/// Band whose edges enclose `frequency` Hz; the outermost ones beyond.
size_t third_octave_of(double frequency);

/// Levels in dBFS (AES17) of the bands; kSilenceDb where there is nothing or above half the sample rate.
using ThirdOctaveLevels = std::array<double, kThirdOctaves>;

/// Mean spectrum of `sound` (one channel, full scale +-1) in third octaves. Averages periodograms of 171 ms
/// (Hann, half overlapped); bins count to the bands by their overlap, so the bands are rectangular, steeper
/// than the filters of IEC 61260. `use`: which of the pieces count, by the frame they begin at and the frame
/// after their end; all if empty. Nothing if no piece counts.
std::optional<ThirdOctaveLevels> third_octave_levels(std::span<const float> sound, double sample_rate,
                                                     const std::function<bool(size_t, size_t)>& use = {});

/// The powers of `noise` taken from those of `sound`, band by band.
ThirdOctaveLevels without_noise(const ThirdOctaveLevels& sound, const ThirdOctaveLevels& noise);

/// Powers of the bands added, bands `first` to `last`, in dBFS.
double sum_of_bands(const ThirdOctaveLevels& levels, size_t first = 0, size_t last = kThirdOctaves - 1);

/// A-weighting in dB at `frequency` Hz (IEC 61672-1:2013, formula E.6); 0 at 1 kHz.
double a_weighting(double frequency);
/// A-weighted level in dBFS of a spectrum in third octaves.
double a_weighted_level(const ThirdOctaveLevels& levels);

/// Long-term average of speech (D. Byrne and others, "An international comparison of long-term average speech
/// spectra", JASA 96 (4), 1994, men and women together, dB SPL for 70 dB in all; values from memory), in the
/// same bands; nothing below 63 Hz.
std::optional<double> byrne_speech_level(size_t band);

/// How far a voice's spectrum is from that average, in dB, per band, where the median of the bands from
/// 315 Hz to 5 kHz is 0, so that one swollen region does not shift all the others. kSilenceDb where the
/// average knows nothing.
ThirdOctaveLevels against_average_speech(const ThirdOctaveLevels& voice);

}  // namespace reed
