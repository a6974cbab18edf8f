// Streaming sample rate conversion.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <numeric>
#include <vector>

namespace reed {

/// Windowed sinc (Kaiser window, about 80 dB; J. F. Kaiser, "Nonrecursive digital filter design using the
/// I0-sinh window function", 1974), one set of taps per phase. Each output sample is delivered with the
/// newest input sample that it needs, so the latency is delay() for any block size. Allocates in the
/// constructor only. Attenuates above 92 % of the lower Nyquist frequency.
class StreamResampler {
  public:
    /// Rates in Hz, integers.
    StreamResampler(int from, int to) {
        const int common = std::gcd(from, to);
        up_ = to / common;
        down_ = from / common;
        phases_ = std::min(up_, kMostPhases);
        const double wider = std::max(1.0, static_cast<double>(from) / to);
        half_ = static_cast<int>(std::ceil(kHalf * wider));
        taps_ = static_cast<size_t>(2 * half_);
        const double cut = 0.92 / wider;  // of the input Nyquist frequency
        table_.resize(static_cast<size_t>(phases_) * taps_);
        for (int p = 0; p < phases_; ++p) {
            double sum = 0.0;
            for (size_t j = 0; j < taps_; ++j) {
                // Distance in samples between tap j and the output position, half_ samples back.
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

    /// Latency in input samples.
    int delay() const { return half_; }
    void reset() {
        std::fill(history_.begin(), history_.end(), 0.0f);
        newest_ = 0;
        due_ = 0;
    }

    /// Calls give(float) for every output sample.
    template <typename Give>
    void process(const float* in, int frames, Give give) {
        for (int i = 0; i < frames; ++i) {
            // Stored twice, newest first, so that the taps are always contiguous.
            newest_ = newest_ == 0 ? taps_ - 1 : newest_ - 1;
            history_[newest_] = history_[newest_ + taps_] = in[i];
            for (; due_ < up_; due_ += down_) {
                // The output position is due_ / up_ samples after the second-newest sample.
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
