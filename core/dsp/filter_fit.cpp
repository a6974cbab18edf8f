#include "dsp/filter_fit.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace reed {
namespace {

constexpr int kSpread = 28;  // points over the whole range
constexpr int kNear = 7;     // and around the prototype's own frequency
constexpr int kPoints = kSpread + kNear;
constexpr int kUnknowns = 5;
constexpr int kSteps = 10;
constexpr double kDbPerNeper = 4.342944819;  // 10 / ln 10, for squared magnitudes

using Vector = std::array<double, kUnknowns>;
using Points = std::array<double, kPoints>;

Vector unknowns(const Biquad& f) {
    return {f.b0, f.b1, f.b2, f.a1, f.a2};
}
Biquad filter(const Vector& v) {
    return {v[0], v[1], v[2], v[3], v[4]};
}

/// Both roots of z^2 + c1 z + c2 inside the unit circle.
bool inside(double c1, double c2) {
    return std::abs(c2) < 1.0 && std::abs(c1) < 1.0 + c2;
}

bool sound(const Vector& v) {
    return inside(v[3], v[4]) && v[0] > 0.0 && inside(v[1] / v[0], v[2] / v[0]);
}

struct Problem {
    Points cos1, cos2, wanted_db;

    static double power(double c0, double c1, double c2, double x1, double x2) {
        return c0 * c0 + c1 * c1 + c2 * c2 + 2.0 * (c0 * c1 + c1 * c2) * x1 + 2.0 * c0 * c2 * x2;
    }
    /// Errors in dB at all points; returns the sum of their squares.
    double errors(const Vector& v, Points& out) const {
        double sum = 0.0;
        for (size_t i = 0; i < kPoints; ++i) {
            const double n = power(v[0], v[1], v[2], cos1[i], cos2[i]);
            const double d = power(1.0, v[3], v[4], cos1[i], cos2[i]);
            out[i] = kDbPerNeper * std::log(std::max(n, 1e-30) / std::max(d, 1e-30)) - wanted_db[i];
            sum += out[i] * out[i];
        }
        return sum;
    }
    Vector slope(const Vector& v, size_t i) const {
        const double x1 = cos1[i];
        const double x2 = cos2[i];
        const double n = 2.0 * kDbPerNeper / power(v[0], v[1], v[2], x1, x2);
        const double d = -2.0 * kDbPerNeper / power(1.0, v[3], v[4], x1, x2);
        return {n * (v[0] + v[1] * x1 + v[2] * x2), n * (v[1] + (v[0] + v[2]) * x1),
                n * (v[2] + v[1] * x1 + v[0] * x2), d * (v[3] + (1.0 + v[4]) * x1),
                d * (v[4] + v[3] * x1 + x2)};
    }
};

/// Solves the symmetric positive system m x = r by Gauss elimination; false when it is singular.
bool solve(std::array<Vector, kUnknowns> m, Vector r, Vector& x) {
    for (size_t k = 0; k < kUnknowns; ++k) {
        if (!(m[k][k] > 1e-300)) return false;
        for (size_t row = k + 1; row < kUnknowns; ++row) {
            const double factor = m[row][k] / m[k][k];
            for (size_t c = k; c < kUnknowns; ++c) m[row][c] -= factor * m[k][c];
            r[row] -= factor * r[k];
        }
    }
    for (size_t k = kUnknowns; k-- > 0;) {
        double sum = r[k];
        for (size_t c = k + 1; c < kUnknowns; ++c) sum -= m[k][c] * x[c];
        x[k] = sum / m[k][k];
    }
    return true;
}

}  // namespace

Biquad fit_magnitude(const Biquad& start, const Prototype& prototype, double sample_rate) {
    Problem problem;
    const double top = 0.375 * sample_rate;
    const double bandwidth = prototype.d1 / std::sqrt(prototype.d2 * prototype.d0);
    for (int i = 0; i < kPoints; ++i) {
        double f = 0.0;
        if (i < 9) {
            // A third of the points on a logarithmic scale for the bottom, the others evenly for the top.
            f = 20.0 * std::pow(0.2 * top / 20.0, i / 8.0);
        } else if (i < kSpread) {
            f = top * (0.2 + 0.8 * (i - 8) / (kSpread - 9.0));
        } else {
            constexpr double kOffsets[kNear] = {-2.0, -1.0, -0.4, 0.0, 0.4, 1.0, 2.0};
            const double octaves = std::min(bandwidth, 0.7) * kOffsets[i - kSpread];
            f = std::clamp(prototype.frequency * std::exp2(octaves), 20.0, top);
        }
        const double w = 2.0 * std::numbers::pi * f / sample_rate;
        const auto k = static_cast<size_t>(i);
        problem.cos1[k] = std::cos(w);
        problem.cos2[k] = std::cos(2.0 * w);
        problem.wanted_db[k] = kDbPerNeper * std::log(std::norm(prototype.response(f)));
    }
    Vector best = unknowns(start);
    if (!sound(best)) return start;
    Points error;
    double best_sum = problem.errors(best, error);
    double damping = 1e-3;
    for (int step = 0; step < kSteps && best_sum > kPoints * 1e-4; ++step) {
        std::array<Vector, kUnknowns> normal{};
        Vector right{};
        for (size_t i = 0; i < kPoints; ++i) {
            const Vector s = problem.slope(best, i);
            for (size_t r = 0; r < kUnknowns; ++r) {
                right[r] -= s[r] * error[i];
                for (size_t c = 0; c < kUnknowns; ++c) normal[r][c] += s[r] * s[c];
            }
        }
        for (size_t k = 0; k < kUnknowns; ++k) normal[k][k] *= 1.0 + damping;
        Vector move{};
        if (!solve(normal, right, move)) break;
        Vector next = best;
        for (size_t k = 0; k < kUnknowns; ++k) next[k] += move[k];
        Points next_error;
        const double sum = sound(next) ? problem.errors(next, next_error) : best_sum + 1.0;
        if (sum < best_sum) {
            best = next;
            best_sum = sum;
            error = next_error;
            damping *= 0.2;
        } else {
            damping *= 8.0;
        }
    }
    return filter(best);
}

}  // namespace reed
