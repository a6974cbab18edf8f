// Long-term spectra in 1/3-octave bands, A-weighting, and comparison with average speech.
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
/// Band that contains `frequency` Hz; the outermost ones beyond.
size_t third_octave_of(double frequency);

/// Levels in dBFS (AES17) of the bands; kSilenceDb for silence and above half the sample rate.
using ThirdOctaveLevels = std::array<double, kThirdOctaves>;

/// Mean spectrum of `sound` (one channel, full scale +-1) in third octaves. Averages periodograms of 171 ms
/// (Hann, half overlapped); bins count to the bands by their overlap, so the bands are rectangular, steeper
/// than the filters of IEC 61260. `use`: selects pieces by their first frame and the frame after their end;
/// all if empty. Empty result if none is selected.
std::optional<ThirdOctaveLevels> third_octave_levels(std::span<const float> sound, double sample_rate,
                                                     const std::function<bool(size_t, size_t)>& use = {});

/// Subtracts the power of `noise` from that of `sound` per band.
ThirdOctaveLevels without_noise(const ThirdOctaveLevels& sound, const ThirdOctaveLevels& noise);

/// Total level of the bands `first` to `last` in dBFS.
double sum_of_bands(const ThirdOctaveLevels& levels, size_t first = 0, size_t last = kThirdOctaves - 1);

/// A-weighting in dB at `frequency` Hz (IEC 61672-1:2013, formula E.6); 0 at 1 kHz.
double a_weighting(double frequency);
/// A-weighted level in dBFS of a spectrum in third octaves.
double a_weighted_level(const ThirdOctaveLevels& levels);

/// Long-term average of speech (D. Byrne and others, "An international comparison of long-term average speech
/// spectra", JASA 96 (4), 1994, men and women together, dB SPL for 70 dB in all; values from memory), in the
/// same bands; empty below 63 Hz.
std::optional<double> byrne_speech_level(size_t band);

/// Deviation of the spectrum of a voice from that average in dB per band, normalised to a median of 0 from
/// 315 Hz to 5 kHz, so that one strong region does not shift the others. kSilenceDb where the average is
/// unknown.
ThirdOctaveLevels against_average_speech(const ThirdOctaveLevels& voice);

}  // namespace reed
