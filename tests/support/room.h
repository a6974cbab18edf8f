// A room around a sound.
#pragma once

#include <cmath>
#include <random>
#include <vector>

#include "dsp/fourier.h"

namespace reed::test {

/// `x` (48 kHz) in a room that decays by 60 dB in `seconds`. `distance`: from the source, in multiples of the
/// critical distance, at which the room is as loud as the source itself.
inline std::vector<float> reverberant(const std::vector<float>& x, double seconds, double distance = 1.0) {
    std::mt19937 random(7);
    std::normal_distribution<double> normal;
    std::vector<double> tail(
        static_cast<size_t>(seconds * 48000.0 / 4.0));  // every fourth frame: dense enough
    double power = 0.0;
    for (size_t i = 0; i < tail.size(); ++i) {
        tail[i] =
            normal(random) * std::pow(10.0, -3.0 * static_cast<double>(i) / static_cast<double>(tail.size()));
        power += tail[i] * tail[i];
    }
    size_t n = 1;
    while (n < x.size() + 4 * tail.size()) n *= 2;
    Fourier a(static_cast<int>(n));
    Fourier b(static_cast<int>(n));
    std::fill(a.samples().begin(), a.samples().end(), 0.0f);
    std::fill(b.samples().begin(), b.samples().end(), 0.0f);
    std::copy(x.begin(), x.end(), a.samples().begin());
    for (size_t i = 0; i < tail.size(); ++i)
        b.samples()[4 * i] = static_cast<float>(distance * tail[i] / std::sqrt(power));
    a.forward();
    b.forward();
    for (size_t k = 0; k < a.spectrum().size(); ++k) a.spectrum()[k] *= b.spectrum()[k];
    a.inverse();
    std::vector<float> out = x;
    for (size_t i = 0; i < x.size(); ++i) out[i] += a.samples()[i];
    return out;
}

}  // namespace reed::test
