// Converts running sound from one rate to another, sample by sample.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <numeric>
#include <vector>

namespace reed {

/// Windowed sinc (Kaiser window, about 80 dB; J. F. Kaiser, "Nonrecursive digital filter design using the
/// I0-sinh window function", 1974), one set of taps per phase. Each result is ready with the newest sample it
/// needs: delay() and no more, whatever the blocks. All memory is taken in the constructor. What lies above
/// 92 % of the lower rate's half is weakened.
class StreamResampler {
  public:
    /// Rates in Hz, whole numbers.
    StreamResampler(int from, int to) {
        const int common = std::gcd(from, to);
        up_ = to / common;
        down_ = from / common;
        phases_ = std::min(up_, kMostPhases);
        const double wider = std::max(1.0, static_cast<double>(from) / to);
        half_ = static_cast<int>(std::ceil(kHalf * wider));
        taps_ = static_cast<size_t>(2 * half_);
        const double cut = 0.92 / wider;  // of half the rate it comes in with
        table_.resize(static_cast<size_t>(phases_) * taps_);
        for (int p = 0; p < phases_; ++p) {
            double sum = 0.0;
            for (size_t j = 0; j < taps_; ++j) {
                // Distance in samples between tap j and where the result lies, half_ samples back.
                const double t = half_ - static_cast<double>(p) / phases_ - static_cast<double>(j);
                const double x = std::numbers::pi * cut * t;
                const double w = t / half_;
                const double window =
                    std::abs(w) < 1.0 ? std::cyl_bessel_i(0.0, kBeta * std::sqrt(1.0 - w * w)) : 0.0;
                const double tap = window * (std::abs(x) < 1e-9 ? 1.0 : std::sin(x) / x);
                table_[static_cast<size_t>(p) * taps_ + j] = static_cast<float>(tap);
                sum += tap;
            }
            for (size_t j = 0; j < taps_; ++j)
                table_[static_cast<size_t>(p) * taps_ + j] /= static_cast<float>(sum);
        }
        history_.assign(2 * taps_, 0.0f);
    }

    /// Seconds times the incoming rate by which the result lags behind.
    int delay() const { return half_; }
    void reset() {
        std::fill(history_.begin(), history_.end(), 0.0f);
        newest_ = 0;
        due_ = 0;
    }

    /// give(float) is called for every sample that is ready.
    template <typename Give>
    void process(const float* in, int frames, Give give) {
        for (int i = 0; i < frames; ++i) {
            // Newest first, twice, so that the taps always find them in one row.
            newest_ = newest_ == 0 ? taps_ - 1 : newest_ - 1;
            history_[newest_] = history_[newest_ + taps_] = in[i];
            for (; due_ < up_; due_ += down_) {
                // The result belongs due_ / up_ samples after the sample before the newest one.
                const auto phase = static_cast<size_t>(static_cast<std::int64_t>(due_) * phases_ / up_);
                const float* tap = &table_[phase * taps_];
                const float* x = &history_[newest_];
                float sum = 0.0f;
                for (size_t j = 0; j < taps_; ++j) sum += tap[j] * x[j];
                give(sum);
            }
            due_ -= up_;
        }
    }

  private:
    static constexpr int kHalf = 24;
    static constexpr int kMostPhases = 1000;
    static constexpr double kBeta = 8.0;

    int up_ = 1, down_ = 1, phases_ = 1, half_ = 0;
    size_t taps_ = 0, newest_ = 0;
    int due_ = 0;
    std::vector<float> table_, history_;
};

}  // namespace reed
