#include "measure/periodogram.h"

#include <cmath>
#include <numbers>

#include "dsp/fourier.h"

namespace reed {

std::optional<Periodogram> mean_periodogram(std::span<const float> sound, double sample_rate, int length,
                                            const std::function<bool(size_t, size_t)>& use) {
    Fourier fourier(length);
    const auto n = static_cast<size_t>(length);
    std::vector<double> window(n);
    double window_power = 0.0;
    for (size_t i = 0; i < n; ++i) {
        window[i] = 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i) / length);
        window_power += window[i] * window[i];
    }
    Periodogram out;
    out.bin_hz = sample_rate / length;
    out.mean_square.resize(static_cast<size_t>(fourier.bins()));
    size_t pieces = 0;
    for (size_t at = 0; at + n <= sound.size(); at += n / 2) {
        if (use && !use(at, at + n)) continue;
        for (size_t i = 0; i < n; ++i)
            fourier.samples()[i] = static_cast<float>(window[i] * static_cast<double>(sound[at + i]));
        fourier.forward();
        for (size_t k = 0; k < out.mean_square.size(); ++k)
            out.mean_square[k] += std::norm(std::complex<double>(fourier.spectrum()[k]));
        ++pieces;
    }
    if (pieces == 0) return std::nullopt;
    // Parseval; each bin but 0 Hz and the highest stands for two.
    const double scale = 2.0 / (length * window_power * static_cast<double>(pieces));
    for (double& p : out.mean_square) p *= scale;
    return out;
}

}  // namespace reed
