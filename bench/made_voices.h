// Voices that are made: whispers of recorded ones, held notes, wails.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <random>
#include <string>
#include <vector>

namespace reed::bench {

using Sound = std::vector<float>;

constexpr double kRate = 48000.0;
constexpr size_t kPiece = 480;

struct Voice {
    std::string name;
    Sound sound;
};

inline double power(const Sound& x, size_t from, size_t count) {
    double sum = 0.0;
    for (size_t i = from; i < std::min(x.size(), from + count); ++i) sum += static_cast<double>(x[i]) * x[i];
    return sum;
}

/// Loudest piece of 50 ms at -12 dBFS.
inline void level(Sound& x) {
    double most = 1e-12;
    for (size_t at = 0; at + 2400 <= x.size(); at += kPiece) most = std::max(most, power(x, at, 2400) / 2400);
    const double by = 0.25 / std::sqrt(2.0 * most);
    for (float& v : x) v *= static_cast<float>(by);
}

/// Linear prediction of order 24 (Levinson and Durbin) per 20 ms; the residual is replaced by noise as loud.
inline Sound whispered(const Sound& x, std::uint32_t seed) {
    constexpr int kOrder = 24;
    constexpr size_t kFrame = 960;
    std::mt19937 random(seed);
    std::normal_distribution<double> normal;
    Sound out(x.size(), 0.0f);
    for (size_t at = 0; at + kFrame <= x.size(); at += kFrame / 2) {
        std::vector<double> w(kFrame);
        for (size_t i = 0; i < kFrame; ++i)
            w[i] = x[at + i] * std::sin(std::numbers::pi * (static_cast<double>(i) + 0.5) / kFrame);
        double r[kOrder + 1];
        for (int k = 0; k <= kOrder; ++k) {
            r[k] = 0.0;
            for (size_t i = static_cast<size_t>(k); i < kFrame; ++i)
                r[k] += w[i] * w[i - static_cast<size_t>(k)];
        }
        if (r[0] < 1e-9) continue;
        r[0] *= 1.0001;
        double a[kOrder + 1] = {1.0};
        double error = r[0];
        for (int m = 1; m <= kOrder; ++m) {
            double k = r[m];
            for (int j = 1; j < m; ++j) k += a[j] * r[m - j];
            k = -k / error;
            double b[kOrder + 1];
            std::copy(a, a + kOrder + 1, b);
            for (int j = 1; j < m; ++j) a[j] = b[j] + k * b[m - j];
            a[m] = k;
            error *= 1.0 - k * k;
        }
        std::vector<double> y(kFrame);
        const double loud = std::sqrt(std::max(0.0, error) / kFrame);
        for (size_t i = 0; i < kFrame; ++i) {
            y[i] = loud * normal(random);
            for (int j = 1; j <= kOrder && static_cast<size_t>(j) <= i; ++j)
                y[i] -= a[j] * y[i - static_cast<size_t>(j)];
        }
        for (size_t i = 0; i < kFrame; ++i)
            out[at + i] += static_cast<float>(
                y[i] * std::sin(std::numbers::pi * (static_cast<double>(i) + 0.5) / kFrame));
    }
    // Without the weight of a voice's low tones.
    float before = 0.0f;
    for (float& v : out) {
        const float now = v;
        v = now - 0.7f * before;
        before = now;
    }
    return out;
}

/// A held tone: harmonics through two or three formants. `vibrato` in semitones at 5.5 Hz; `to` glides there.
inline Sound held(double f0, double to, double vibrato, std::vector<double> formants, double seconds) {
    Sound out(static_cast<size_t>(seconds * kRate), 0.0f);
    double phase = 0.0;
    for (size_t i = 0; i < out.size(); ++i) {
        const double t = static_cast<double>(i) / kRate;
        const double f = (f0 + (to - f0) * t / seconds) *
                         std::exp2(vibrato * std::sin(2 * std::numbers::pi * 5.5 * t) / 12.0);
        phase += 2 * std::numbers::pi * f / kRate;
        double y = 0.0;
        for (int n = 1; n * f < 9000.0 && n <= 40; ++n) {
            double gain = 0.003;
            for (const double c : formants) gain += 1.0 / (1.0 + std::pow((n * f - c) / (0.1 * c + 40.0), 2));
            y += gain * std::pow(n, -0.7) * std::sin(n * phase);
        }
        out[i] = static_cast<float>(y * std::min({1.0, t / 0.05, (seconds - t) / 0.05}));
    }
    return out;
}

inline std::vector<Voice> held_notes() {
    std::vector<Voice> out{{"mmm low", held(110, 110, 0.05, {110, 250}, 10)},
                           {"mmm high", held(220, 215, 0.05, {220, 300}, 10)},
                           {"ah", held(165, 165, 0, {730, 1090, 2440}, 10)},
                           {"ah vibrato", held(196, 196, 0.5, {730, 1090, 2440}, 10)},
                           {"ee", held(262, 262, 0, {270, 2290, 3010}, 10)},
                           {"oo vibrato", held(330, 330, 0.7, {300, 870, 2240}, 10)},
                           {"high ah", held(660, 660, 0.4, {850, 1200, 2800}, 10)}};
    for (Voice& v : out) level(v.sound);
    return out;
}

inline std::vector<Voice> wails() {
    std::vector<Voice> out{{"wail up", held(300, 900, 0.2, {900, 1400, 3000}, 3)},
                           {"wail down", held(1000, 350, 0.3, {1000, 1500, 3200}, 3)},
                           {"scream", held(1150, 1250, 0.6, {1200, 1900, 3400}, 2.5)}};
    for (Voice& v : out) level(v.sound);
    return out;
}

}  // namespace reed::bench
