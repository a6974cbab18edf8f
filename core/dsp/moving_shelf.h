// A shelf whose gain moves with every sample.
#pragma once

#include <algorithm>
#include <array>

#include "base/audio_block.h"
#include "base/fast_math.h"
#include "dsp/state_variable.h"

namespace reed {

/// Second-order low or high shelf (Q 0.7071) as a trapezoidal state-variable filter, which stays stable while
/// its gain moves (V. Zavalishin, "The Art of VA Filter Design", ch. 4; shelf gains by R. Bristow-Johnson's
/// cookbook prototype). At 0 dB the sound passes unchanged, to the bit. Half of the gain, in dB, is reached
/// at the corner.
class MovingShelf {
  public:
    enum class Side { low, high };

    explicit MovingShelf(Side side) : side_(side) {}
    /// `corner` Hz, below 0.45 of the rate.
    void prepare(double sample_rate, double corner) {
        rate_ = sample_rate;
        set_corner(corner);
        reset();
    }
    /// From the next sample on; move it in small steps.
    void set_corner(double corner) { warped_ = warped_frequency(corner, rate_); }
    void reset() { state_ = {}; }

    /// `gain_db`: one per frame, the same for all channels.
    void process(const AudioBlock& block, const float* gain_db) {
        // Most of the time nothing is to be done but to keep up.
        if (std::all_of(gain_db, gain_db + block.frames, [](float g) { return g == 0.0f; })) {
            for (int c = 0; c < block.channels; ++c)
                follow(block[c], block.frames, state_[static_cast<size_t>(c)]);
            return;
        }
        float amplitude[kGrain];
        float root[kGrain];
        for (int i = 0; i < block.frames; ++i) amplitude[i] = fast_exp2(0.5f * kLog2PerDb * gain_db[i]);
        for (int i = 0; i < block.frames; ++i) {
            const float by = fast_exp2(0.25f * kLog2PerDb * gain_db[i]);
            root[i] = side_ == Side::high ? warped_ * by : warped_ / by;
        }
        for (int c = 0; c < block.channels; ++c)
            run(block[c], block.frames, amplitude, root, state_[static_cast<size_t>(c)]);
    }

  private:
    static constexpr float kDamping = 1.41421356f;  // 1 / Q
    struct State {
        float s1 = 0.0f, s2 = 0.0f;
    };
    struct Step {
        float v1, v2;
    };
    static Step step(float in, float g, float a1, State& s) {
        const float v3 = in - s.s2;
        const float v1 = a1 * (s.s1 + g * v3);
        const float v2 = s.s2 + g * v1;
        s.s1 = 2.0f * v1 - s.s1;
        s.s2 = 2.0f * v2 - s.s2;
        return {v1, v2};
    }
    static float damped(float g) { return 1.0f / (1.0f + g * (g + kDamping)); }

    void follow(const float* x, int frames, State& state) const {
        State s = state;
        const float a1 = damped(warped_);
        for (int i = 0; i < frames; ++i) (void)step(x[i], warped_, a1, s);
        state = s;
    }
    void run(float* x, int frames, const float* amplitude, const float* root, State& state) const {
        State s = state;
        for (int i = 0; i < frames; ++i) {
            const float a = amplitude[i];
            const float in = x[i];
            const auto [v1, v2] = step(in, root[i], damped(root[i]), s);
            if (a == 1.0f) continue;
            x[i] = side_ == Side::high ? a * a * in + kDamping * (1.0f - a) * a * v1 + (1.0f - a * a) * v2
                                       : in + kDamping * (a - 1.0f) * v1 + (a * a - 1.0f) * v2;
        }
        state = s;
    }

    Side side_;
    double rate_ = 48000.0;
    float warped_ = 0.1f;
    std::array<State, kMaxChannels> state_{};
};

}  // namespace reed
