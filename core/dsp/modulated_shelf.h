// A shelving filter with a gain per sample.
#pragma once

#include <algorithm>
#include <array>

#include "base/audio_block.h"
#include "base/fast_math.h"
#include "dsp/state_variable.h"

namespace reed {

/// Second-order low or high shelf (Q 0.7071) as a trapezoidal state-variable filter, which is stable while
/// its gain changes (V. Zavalishin, "The Art of VA Filter Design", ch. 4; shelf gains by R. Bristow-Johnson's
/// cookbook prototype). At 0 dB audio passes bit-exact. Half of the gain in dB is reached at the corner
/// frequency.
class ModulatedShelf {
  public:
    enum class Side { low, high };

    explicit ModulatedShelf(Side side) : side_(side) {}
    /// `corner` Hz, below 0.45 of the rate.
    void prepare(double sample_rate, double corner) {
        rate_ = sample_rate;
        set_corner(corner);
        reset();
    }
    /// Applies from the next sample; change it in small steps.
    void set_corner(double corner) { warped_ = warped_frequency(corner, rate_); }
    void reset() { state_ = {}; }

    /// `gain_db`: one per frame, the same for all channels.
    void process(const AudioBlock& block, const float* gain_db) {
        // The usual case: no gain, only the state is updated.
        if (std::all_of(gain_db, gain_db + block.frames, [](float g) { return g == 0.0f; })) {
            for (int c = 0; c < block.channels; ++c)
                follow(block[c], block.frames, state_[static_cast<size_t>(c)]);
            return;
        }
        // In loops without branches, so that the compiler can work on several frames at once.
        Steps s;
        const float sign = side_ == Side::high ? 0.25f : -0.25f;
        float warped[kSubBlock];
        for (int i = 0; i < block.frames; ++i) warped[i] = fast_exp2(sign * kLog2PerDb * gain_db[i]);
        for (int i = 0; i < block.frames; ++i) s.amplitude[i] = warped[i] * warped[i];
        if (side_ == Side::low) {
            for (int i = 0; i < block.frames; ++i) s.amplitude[i] = 1.0f / s.amplitude[i];
        }
        for (int i = 0; i < block.frames; ++i) {
            const SvfCoefficients step = SvfCoefficients::of(warped_ * warped[i], kDamping);
            s.keep[i] = step.keep;
            s.cross[i] = step.cross;
            s.feed[i] = step.feed;
        }
        for (int c = 0; c < block.channels; ++c)
            run(block[c], block.frames, s, state_[static_cast<size_t>(c)]);
    }

  private:
    static constexpr float kDamping = 1.41421356f;  // 1 / Q
    struct State {
        float s1 = 0.0f, s2 = 0.0f;
    };
    /// Coefficients of each frame.
    struct Steps {
        float amplitude[kSubBlock], keep[kSubBlock], cross[kSubBlock], feed[kSubBlock];
    };

    void follow(const float* x, int frames, State& state) const {
        State s = state;
        const SvfCoefficients step = SvfCoefficients::of(warped_, kDamping);
        for (int i = 0; i < frames; ++i) s = {step.first(s.s1, s.s2, x[i]), step.second(s.s1, s.s2, x[i])};
        state = s;
    }
    void run(float* x, int frames, const Steps& by, State& state) const {
        State s = state;
        for (int i = 0; i < frames; ++i) {
            const float a = by.amplitude[i];
            const float in = x[i];
            const SvfCoefficients step{by.keep[i], by.cross[i], by.feed[i]};
            const State next{step.first(s.s1, s.s2, in), step.second(s.s1, s.s2, in)};
            const float band = 0.5f * (s.s1 + next.s1), low = 0.5f * (s.s2 + next.s2);
            s = next;
            if (a == 1.0f) continue;
            x[i] = side_ == Side::high ? a * a * in + kDamping * (1.0f - a) * a * band + (1.0f - a * a) * low
                                       : in + kDamping * (a - 1.0f) * band + (a * a - 1.0f) * low;
        }
        state = s;
    }

    Side side_;
    double rate_ = 48000.0;
    float warped_ = 0.1f;
    std::array<State, kMaxChannels> state_{};
};

}  // namespace reed
