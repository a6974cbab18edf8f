// Sounds that constructed cases are made of, one channel at 48 kHz.
#pragma once

#include <algorithm>
#include <cmath>
#include <random>

#include "base/decibel.h"
#include "dsp/biquad_cascade.h"
#include "dsp/fourier.h"
#include "voices.h"

namespace reed::bench {

inline constexpr double kRate = 48000.0;

inline void scale(Sound& x, double db) {
    for (float& v : x) v *= static_cast<float>(db_to_gain(db));
}

inline void add(Sound& x, const Sound& y, double db) {
    for (size_t i = 0; i < x.size(); ++i) x[i] += y[i % y.size()] * static_cast<float>(db_to_gain(db));
}

inline double rms_db(const Sound& x) {
    double sum = 0.0;
    for (const float v : x) sum += static_cast<double>(v) * v;
    return mean_square_to_dbfs(sum / static_cast<double>(std::max<size_t>(x.size(), 1)));
}

/// `seconds` of a sound from frame `from` on, repeated if it is shorter.
inline Sound piece(const Sound& x, size_t from, double seconds) {
    Sound out(static_cast<size_t>(seconds * kRate));
    for (size_t i = 0; i < out.size(); ++i) out[i] = x[(from + i) % x.size()];
    return out;
}

inline Sound filtered(Sound x, const BandSettings& band) {
    BiquadCascade f;
    f.snap(design(band, kRate));
    for (size_t at = 0; at < x.size(); at += kSubBlock)
        f.process({{&x[at], nullptr}, 1, static_cast<int>(std::min<size_t>(kSubBlock, x.size() - at))});
    return x;
}

/// A room: the direct sound, and noise that decays by 60 dB in `decay` seconds, as strong as the direct sound
/// in all at `distance` 1 (critical distance), 6 dB weaker at half of it.
inline Sound in_room(const Sound& x, double decay, double distance, std::uint32_t seed) {
    if (decay <= 0.0) return x;
    std::mt19937 random(seed);
    std::normal_distribution<float> normal;
    const auto length = static_cast<size_t>(decay * kRate);
    Sound tail(length);
    double power = 0.0;
    for (size_t i = 0; i < length; ++i) {
        tail[i] = normal(random) *
                  static_cast<float>(std::pow(10.0, -3.0 * static_cast<double>(i) / (decay * kRate)));
        power += static_cast<double>(tail[i]) * tail[i];
    }
    const auto by = static_cast<float>(distance / std::sqrt(power));
    // Overlap and add, by transforms.
    size_t n = 1;
    while (n < 4 * length) n *= 2;
    Fourier h(static_cast<int>(n));
    std::fill(h.samples().begin(), h.samples().end(), 0.0f);
    for (size_t i = 0; i < length; ++i) h.samples()[i] = tail[i] * by;
    h.forward();
    const std::vector<std::complex<float>> response(h.spectrum().begin(), h.spectrum().end());
    Sound out = x;
    const size_t hop = n - length;
    for (size_t at = 0; at < x.size(); at += hop) {
        std::fill(h.samples().begin(), h.samples().end(), 0.0f);
        std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), std::min(hop, x.size() - at),
                    h.samples().begin());
        h.forward();
        for (size_t k = 0; k < response.size(); ++k) h.spectrum()[k] *= response[k];
        h.inverse();
        for (size_t i = 0; i < n && at + i < x.size(); ++i) out[at + i] += h.samples()[i];
    }
    return out;
}

}  // namespace reed::bench
