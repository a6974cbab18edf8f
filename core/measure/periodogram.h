// Mean spectrum of a sound by overlapping transforms.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <vector>

namespace reed {

struct Periodogram {
    std::vector<double> mean_square;  ///< of each bin's share of the sound; a tone's spreads over five bins
    double bin_hz = 0.0;
};

/// Mean of Hann-windowed transforms of `length` frames (even), half overlapped (P. D. Welch, "The use of fast
/// Fourier transform for the estimation of power spectra", IEEE Trans. AU 15 (2), 1967). `use`: which pieces
/// count, by the frame they begin at and the frame after their end; all if empty. Nothing if none counts.
std::optional<Periodogram> mean_periodogram(std::span<const float> sound, double sample_rate, int length,
                                            const std::function<bool(size_t, size_t)>& use = {});

}  // namespace reed
