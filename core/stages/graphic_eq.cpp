#include "stages/graphic_eq.h"

#include <algorithm>
#include <cmath>
#include <complex>

#include "base/decibel.h"
#include "stages/equalizer.h"

namespace reed {
namespace {

constexpr double kQ = 1.6;
using Matrix = std::array<GraphicEqGains, kOctaves>;

double* band_row(std::span<double> values, int i) {
    return &values[static_cast<size_t>((kFirstOctaveBand + i) * kBandParameters)];
}

double bell_db(int band, double gain, double frequency, double rate) {
    if (gain == 0.0) return 0.0;
    const Sections s = design({FilterType::bell, octave_frequency(band), gain, kQ, 12}, rate);
    return gain_to_db(std::abs(s.response(frequency, rate)));
}

/// Solves m x = r by Gauss elimination; m is diagonally dominant enough to need no pivoting.
GraphicEqGains solve(Matrix m, GraphicEqGains r) {
    for (size_t k = 0; k < kOctaves; ++k) {
        for (size_t row = k + 1; row < kOctaves; ++row) {
            const double f = m[row][k] / m[k][k];
            for (size_t c = k; c < kOctaves; ++c) m[row][c] -= f * m[k][c];
            r[row] -= f * r[k];
        }
    }
    GraphicEqGains x{};
    for (size_t k = kOctaves; k-- > 0;) {
        double sum = r[k];
        for (size_t c = k + 1; c < kOctaves; ++c) sum -= m[k][c] * x[c];
        x[k] = sum / m[k][k];
    }
    return x;
}

}  // namespace

double octave_frequency(int i) {
    return 1000.0 * std::pow(10.0, 0.3 * (i - 5));
}

const char* octave_name(int i) {
    static constexpr const char* kNames[kOctaves] = {"31.5", "63", "125", "250", "500",
                                                     "1k",   "2k", "4k",  "8k",  "16k"};
    return kNames[i];
}

void set_graphic_eq(std::span<double> values, const GraphicEqGains& sliders, double rate) {
    GraphicEqGains wanted = sliders;
    for (auto& w : wanted) w = std::clamp(w, -kOctaveRange, kOctaveRange);
    GraphicEqGains gains = wanted;
    // The decibels a bell adds at its neighbours are nearly, not quite, proportional to its gain: a few
    // rounds with the proportions of the present gains settle it.
    for (int round = 0; round < 12; ++round) {
        Matrix share{};
        GraphicEqGains missing = wanted;
        for (int at = 0; at < kOctaves; ++at) {
            for (int b = 0; b < kOctaves; ++b) {
                const auto row = static_cast<size_t>(at);
                const auto column = static_cast<size_t>(b);
                const double g = std::abs(gains[column]) < 0.5 ? 0.5 : gains[column];
                share[row][column] = bell_db(b, g, octave_frequency(at), rate) / g;
                missing[row] -= share[row][column] * gains[column];
            }
        }
        const GraphicEqGains step = solve(share, missing);
        for (size_t k = 0; k < kOctaves; ++k) gains[k] = std::clamp(gains[k] + step[k], -24.0, 24.0);
    }
    for (int i = 0; i < kOctaves; ++i) {
        double* row = band_row(values, i);
        const double gain = gains[static_cast<size_t>(i)];
        row[kBandOn] = 1.0;
        row[kBandType] = static_cast<double>(FilterType::bell);
        row[kBandFrequency] = octave_frequency(i);
        row[kBandGain] = std::abs(gain) < 0.005 ? 0.0 : gain;
        row[kBandQ] = kQ;
    }
}

std::optional<GraphicEqGains> graphic_eq_gains(std::span<const double> values, double rate) {
    GraphicEqGains gains{};
    for (int i = 0; i < kOctaves; ++i) {
        const double* row = &values[static_cast<size_t>((kFirstOctaveBand + i) * kBandParameters)];
        if (row[kBandOn] < 0.5) continue;
        const BandSettings b = band_settings(values, kFirstOctaveBand + i);
        const bool ours = b.type == FilterType::bell &&
                          std::abs(b.frequency / octave_frequency(i) - 1.0) < 0.01 &&
                          std::abs(b.q - kQ) < 0.01;
        if (!ours) return std::nullopt;
        gains[static_cast<size_t>(i)] = b.gain_db;
    }
    GraphicEqGains out{};
    for (int at = 0; at < kOctaves; ++at) {
        for (int b = 0; b < kOctaves; ++b) {
            out[static_cast<size_t>(at)] +=
                bell_db(b, gains[static_cast<size_t>(b)], octave_frequency(at), rate);
        }
    }
    return out;
}

}  // namespace reed
