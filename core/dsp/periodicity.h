// Periodicity of a signal at the pitch of a voice.
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

#include "dsp/filter_design.h"

namespace reed {

/// Largest normalised cross-correlation of the newest 30 ms with the signal 1 to 14 ms before (70 Hz and up;
/// D. Talkin, "A robust algorithm for pitch tracking", in "Speech Coding and Synthesis", 1995), of the sound
/// between 250 and 1500 Hz. A signal that decays by 6 dB or more within 15 ms is ringing: 0. Lags before the
/// first zero of the correlation are excluded, because low-passed noise is correlated there.
class Periodicity {
  public:
    explicit Periodicity(double sample_rate)
        : every_(std::max(1, static_cast<int>(std::lround(sample_rate / 6000.0)))) {
        const double rate = sample_rate / every_;
        window_ = static_cast<size_t>(0.030 * rate);
        longest_ = static_cast<size_t>(rate / 70.0);
        shortest_ = static_cast<size_t>(rate / 1500.0);
        sound_.assign(window_ + longest_, 0.0f);
        add_sections({FilterType::high_cut, 1500.0, 0.0, 0.7071, 24}, sample_rate);
        add_sections({FilterType::low_cut, 250.0, 0.0, 0.7071, 12}, sample_rate);
    }
    void reset() {
        std::fill(sound_.begin(), sound_.end(), 0.0f);
        for (auto& f : filters_) f.s1 = f.s2 = 0.0f;
        counted_ = 0;
    }

    void add(const float* x, int frames) {
        for (int i = 0; i < frames; ++i) {
            float y = x[i];
            for (auto& f : filters_) {
                const float out = f.b0 * y + f.s1;
                f.s1 = f.b1 * y - f.a1 * out + f.s2;
                f.s2 = f.b2 * y - f.a2 * out;
                y = out;
            }
            if (++counted_ < every_) continue;
            counted_ = 0;
            std::copy(sound_.begin() + 1, sound_.end(), sound_.begin());
            sound_.back() = y;
        }
    }

    /// -1 to 1; 0 for silence.
    float strength() const {
        const float* now = sound_.data() + longest_;
        const float own = dot(now, now);
        if (own < 1e-12f) return 0.0f;
        float late = 0.0f;
        for (size_t i = window_ / 2; i < window_; ++i) late += now[i] * now[i];
        if (late < 0.2f * own) return 0.0f;  // a quarter of the half before
        float best = 0.0f;
        bool crossed = false;
        for (size_t lag = shortest_; lag <= longest_; ++lag) {
            const float* then = now - lag;
            const float alike = dot(now, then) / std::sqrt(own * std::max(dot(then, then), 1e-12f));
            crossed = crossed || alike < 0.0f;
            if (crossed) best = std::max(best, alike);
        }
        return best;
    }

  private:
    struct Filter {
        float b0 = 0, b1 = 0, b2 = 0, a1 = 0, a2 = 0, s1 = 0, s2 = 0;
    };
    void add_sections(const BandSettings& band, double sample_rate) {
        const Sections sections = design(band, sample_rate);
        for (int k = 0; k < sections.count; ++k) {
            const Biquad& b = sections.biquads[static_cast<size_t>(k)];
            filters_.push_back({static_cast<float>(b.b0), static_cast<float>(b.b1), static_cast<float>(b.b2),
                                static_cast<float>(b.a1), static_cast<float>(b.a2)});
        }
    }
    // Without sanitizers, under which it took a fifth of the time of the tests: both are inside `sound_`.
    __attribute__((no_sanitize("address", "undefined"))) float dot(const float* a, const float* b) const {
        // Eight sums at once, which the compiler can keep in registers.
        float sums[8] = {};
        size_t i = 0;
        for (; i + 8 <= window_; i += 8) {
            for (size_t k = 0; k < 8; ++k) sums[k] += a[i + k] * b[i + k];
        }
        float sum = 0.0f;
        for (; i < window_; ++i) sum += a[i] * b[i];
        for (const float s : sums) sum += s;
        return sum;
    }

    int every_, counted_ = 0;
    size_t window_ = 0, longest_ = 0, shortest_ = 0;
    std::vector<Filter> filters_;
    std::vector<float> sound_;  // oldest sample first
};

}  // namespace reed
