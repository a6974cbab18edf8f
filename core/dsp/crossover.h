// Crossover whose bands sum to an all-pass.
#pragma once

#include <array>

#include "base/audio_block.h"
#include "dsp/state_variable.h"

namespace reed {

/// A Linkwitz-Riley crossover of the fourth order (S. Linkwitz, "Active Crossover Networks for Noncoincident
/// Drivers", JAES 24 (1), 1976): two second-order Butterworth filters in series per side. Low and high bands
/// are in phase and sum to a second-order all-pass with Q 0.7071; compensate() applies the same phase to
/// another signal. As trapezoidal state-variable filters (V. Zavalishin, "The Art of VA Filter Design", ch.
/// 4), for which that holds exactly at every rate, and while the frequency moves.
class Crossover {
  public:
    /// `frequency`: in Hz, clamped to 0.45 of the rate. Applies from the next sample; change it in small
    /// steps.
    void set(double frequency, double sample_rate) {
        step_ = SvfCoefficients::of(warped_frequency(frequency, sample_rate), kDamping);
    }
    void reset() { state_ = {}; }

    /// Splits `frames` samples of `channel`: `x` becomes the low band, `high` the high band.
    void split(float* x, float* high, int frames, int channel) {
        Channel s = state_[static_cast<size_t>(channel)];
        for (int i = 0; i < frames; ++i) {
            const Step first = step(x[i], s.first);
            const float top = x[i] - kDamping * first.band - first.low;
            const Step upper = step(top, s.high);
            x[i] = step(first.low, s.low).low;
            high[i] = top - kDamping * upper.band - upper.low;
        }
        state_[static_cast<size_t>(channel)] = s;
    }
    /// Applies the phase of the sum to a parallel signal. Not on an object that also splits.
    void compensate(float* x, int frames, int channel) {
        State s = state_[static_cast<size_t>(channel)].first;
        for (int i = 0; i < frames; ++i) x[i] -= 2.0f * kDamping * step(x[i], s).band;
        state_[static_cast<size_t>(channel)].first = s;
    }

  private:
    static constexpr float kDamping = 1.41421356f;  // 1 / Q
    struct State {
        float s1 = 0.0f, s2 = 0.0f;
    };
    struct Channel {
        State first, low, high;
    };
    struct Step {
        float band, low;
    };
    Step step(float in, State& s) const {
        const float n1 = step_.first(s.s1, s.s2, in);
        const float n2 = step_.second(s.s1, s.s2, in);
        const Step out{0.5f * (s.s1 + n1), 0.5f * (s.s2 + n2)};
        s = {n1, n2};
        return out;
    }

    SvfCoefficients step_;
    std::array<Channel, kMaxChannels> state_{};
};

}  // namespace reed
