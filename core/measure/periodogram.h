// Mean spectrum by overlapping transforms.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <vector>

namespace reed {

struct Periodogram {
    std::vector<double> mean_square;  ///< mean square of each bin; a tone spreads over five bins
    double bin_hz = 0.0;
};

/// Mean of Hann-windowed transforms of `length` frames (even), half overlapped (P. D. Welch, "The use of fast
/// Fourier transform for the estimation of power spectra", IEEE Trans. AU 15 (2), 1967). `use`: selects
/// pieces by their first frame and the frame after their end; all if empty. Empty result if none is selected.
std::optional<Periodogram> mean_periodogram(std::span<const float> sound, double sample_rate, int length,
                                            const std::function<bool(size_t, size_t)>& use = {});

}  // namespace reed
