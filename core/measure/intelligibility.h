// Intelligibility and distortion of processed speech.
#pragma once

#include <optional>
#include <vector>

namespace reed {

/// Short-time objective intelligibility, about -1 to 1, of `processed` against the clean speech, both of one
/// length, aligned, at `sample_rate` Hz: C. Taal, R. Hendriks, R. Heusdens, J. Jensen, "An Algorithm for
/// Intelligibility Prediction of Time-Frequency Weighted Noisy Speech", IEEE Trans. ASLP 19 (7), 2011.
/// 10 kHz, frames of 256 in 512-point transforms, 15 third-octave bands from 150 Hz, segments of 30 frames,
/// clipped at -15 dB signal to distortion; frames more than 40 dB below the loudest of the clean speech are
/// excluded. Empty if less than one segment of speech remains.
std::optional<double> stoi(const std::vector<float>& clean, const std::vector<float>& processed,
                           double sample_rate);

/// Scale-invariant signal-to-distortion ratio in dB of `processed` against `clean` times a factor
/// (J. Le Roux and others, "SDR - half-baked or well done?", ICASSP 2019). Means are removed. Both
/// aligned and of equal length. Empty for silence.
std::optional<double> si_sdr(const std::vector<float>& clean, const std::vector<float>& processed);

}  // namespace reed
