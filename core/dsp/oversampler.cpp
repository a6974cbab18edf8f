#include "dsp/oversampler.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace reed {
namespace {

constexpr double kAttenuation = 90.0;  // dB

/// Modified Bessel function of the first kind, order zero: its power series.
double bessel_i0(double x) {
    double sum = 1.0;
    double term = 1.0;
    for (int k = 1; term > 1e-12 * sum; ++k) {
        term *= (x / (2.0 * k)) * (x / (2.0 * k));
        sum += term;
    }
    return sum;
}

/// Tap `distance` inner samples from the middle of a low-pass at `cutoff` halves of the outer rate, which
/// reaches 68 to either side.
double tap(int distance, double cutoff) {
    constexpr double kReach = 2.0 * Oversampler::kDelay;
    const double beta = 0.1102 * (kAttenuation - 8.7);
    const double t = distance / kReach;
    if (std::abs(t) >= 1.0) return 0.0;
    const double window = bessel_i0(beta * std::sqrt(1.0 - t * t)) / bessel_i0(beta);
    if (distance == 0) return cutoff * window;
    const double x = std::numbers::pi * distance / Oversampler::kFactor;
    return window * std::sin(cutoff * x) / x;
}

constexpr double kDownCutoff = 5.0 / 6.0;  // its transition ends at half of the outer rate

/// up[p][k] meets the frame k frames behind the newest for the sample p quarters behind the delayed frame;
/// down[p][k] the sample p quarters behind the frame k (for p > 0: k + 1) frames behind the newest.
struct Taps {
    float up[Oversampler::kFactor][Oversampler::kDelay];
    float down[Oversampler::kFactor][Oversampler::kDelay + 1];
    Taps() noexcept {
        constexpr int kFactor = Oversampler::kFactor;
        constexpr int kHalf = Oversampler::kDelay / 2;
        for (int p = 0; p < kFactor; ++p) {
            for (int k = 0; k < Oversampler::kDelay; ++k)
                up[p][k] = static_cast<float>(tap(kFactor * (k - kHalf) + p, 1.0));
            for (int k = 0; k <= Oversampler::kDelay; ++k)
                down[p][k] = static_cast<float>(
                    tap(kFactor * (k - kHalf + (p > 0 ? 1 : 0)) - p, kDownCutoff) / kFactor);
        }
    }
};
const Taps kTable;

constexpr int kTile = kSubBlock;  // always all of it: the compiler unrolls what it knows the length of

/// Adds to each of kTile frames the taps times the samples from its own backwards.
inline void add_taps(const float* newest, const float* taps, int count, float (&sum)[kTile]) {
    for (int k = 0; k < count; ++k) {
        const float h = taps[k];
        const float* x = newest - k;
        for (int i = 0; i < kTile; ++i) sum[i] += h * x[i];
    }
}

}  // namespace

void Oversampler::reset() {
    going_up_.fill(0.0f);
    for (auto& phase : going_down_) phase.fill(0.0f);
}

void Oversampler::up(const float* in, int frames, float (&out)[kFactor][kSubBlock]) {
    std::copy_n(in, frames, going_up_.data() + kHistory);
    const float* newest = going_up_.data() + kHistory;
    std::copy_n(newest - kHalf, kSubBlock, out[0]);
    for (int p = 1; p < kFactor; ++p) {
        for (int i = 0; i < frames; i += kTile) {
            float sum[kTile] = {};
            add_taps(newest + i, kTable.up[p], kTaps, sum);
            std::copy_n(sum, kTile, &out[p][i]);
        }
    }
    std::copy_n(going_up_.data() + frames, kHistory, going_up_.data());
}

void Oversampler::down(const float (&in)[kFactor][kSubBlock], int frames, float* out) {
    for (int p = 0; p < kFactor; ++p) std::copy_n(in[p], frames, going_down_[p].data() + kHistory);
    for (int i = 0; i < frames; i += kTile) {
        float sum[kTile] = {};
        // The sample p quarters behind frame m stands 4 (n - m) - p inner samples before frame n.
        for (int p = 0; p < kFactor; ++p) {
            const int behind = p > 0 ? 1 : 0;
            add_taps(going_down_[p].data() + kHistory - behind + i, kTable.down[p], kTaps + 1 - behind, sum);
        }
        std::copy_n(sum, std::min(kTile, frames - i), out + i);
    }
    for (auto& phase : going_down_) std::copy_n(phase.data() + frames, kHistory, phase.data());
}

}  // namespace reed
