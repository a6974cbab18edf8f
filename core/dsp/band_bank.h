// A bank of band-pass filters.
#pragma once

#include <array>
#include <cstddef>

#include "dsp/state_variable.h"

namespace reed {

/// `Bands` bands of one channel, each two second-order state-variable band-passes in series (0 dB at the
/// centre). All bands of a sample are processed together, so that the compiler can vectorise.
template <size_t Bands>
class BandBank {
  public:
    /// Centre frequencies in Hz; `damping` is 1 / Q of each of the two filters.
    void prepare(const std::array<double, Bands>& middles, float damping, double sample_rate) {
        damping_ = damping;
        for (size_t b = 0; b < Bands; ++b) {
            const SvfCoefficients step =
                SvfCoefficients::of(warped_frequency(middles[b], sample_rate), damping);
            keep_[b] = step.keep;
            cross_[b] = step.cross;
            feed_[b] = step.feed;
        }
        reset();
    }
    void reset() { first_ = second_ = {}; }

    /// Current output sample of a band.
    float next(size_t band, float x) { return once(second_, band, once(first_, band, x)); }

  private:
    struct States {
        std::array<float, Bands> s1{}, s2{};
    };
    float once(States& states, size_t b, float x) const {
        const SvfCoefficients step{keep_[b], cross_[b], feed_[b]};
        const float first = step.first(states.s1[b], states.s2[b], x);
        const float second = step.second(states.s1[b], states.s2[b], x);
        const float y = damping_ * 0.5f * (states.s1[b] + first);
        states.s1[b] = first;
        states.s2[b] = second;
        return y;
    }

    std::array<float, Bands> keep_{}, cross_{}, feed_{};
    States first_, second_;
    float damping_ = 1.0f;
};

}  // namespace reed
