#include "dsp/filter_runner.h"

#include <cmath>

namespace reed {

FilterRunner::Coefficients FilterRunner::convert(const Biquad& f) {
    // s = (z - 1) / (z + 1) turns both polynomials into ones in s; there the section reads
    // (h s^2 + ...) / (s^2 + k g s + g^2).
    const double d2 = 1.0 - f.a1 + f.a2;
    const double d1 = 2.0 * (1.0 - f.a2);
    const double d0 = 1.0 + f.a1 + f.a2;
    const double g = std::sqrt(d0 / d2);
    const double k = d1 / (d2 * g);
    const double high = (f.b0 - f.b1 + f.b2) / d2;
    const double band = 2.0 * (f.b0 - f.b2) / (d2 * g);
    const double low = (f.b0 + f.b1 + f.b2) / d0;
    Coefficients c;
    c.a1 = 1.0 / (1.0 + g * (g + k));
    c.a2 = g * c.a1;
    c.a3 = g * c.a2;
    c.m0 = high;
    c.m1 = band - k * high;
    c.m2 = low - high;
    return c;
}

void FilterRunner::snap(const Sections& sections) {
    count_ = sections.count;
    for (size_t i = 0; i < static_cast<size_t>(count_); ++i)
        now_[i] = goal_[i] = convert(sections.biquads[i]);
    moving_ = false;
}

void FilterRunner::glide(const Sections& sections) {
    if (sections.count != count_) {
        snap(sections);
        return;
    }
    hold();
    for (size_t i = 0; i < static_cast<size_t>(count_); ++i) {
        const Coefficients to = convert(sections.biquads[i]);
        const Coefficients& from = now_[i];
        constexpr double n = 1.0 / kGrain;
        step_[i] = {(to.a1 - from.a1) * n, (to.a2 - from.a2) * n, (to.a3 - from.a3) * n,
                    (to.m0 - from.m0) * n, (to.m1 - from.m1) * n, (to.m2 - from.m2) * n};
        goal_[i] = to;
    }
    moving_ = true;
}

void FilterRunner::hold() {
    if (moving_) now_ = goal_;
    moving_ = false;
}

void FilterRunner::reset() {
    state_ = {};
}

float FilterRunner::next(int channel, float in) {
    double x = in;
    for (size_t i = 0; i < static_cast<size_t>(count_); ++i) {
        const Coefficients& c = now_[i];
        State& s = state_[i][static_cast<size_t>(channel)];
        const double v3 = x - s.s2;
        const double v1 = c.a1 * s.s1 + c.a2 * v3;
        const double v2 = s.s2 + c.a2 * s.s1 + c.a3 * v3;
        s.s1 = 2.0 * v1 - s.s1;
        s.s2 = 2.0 * v2 - s.s2;
        x = c.m0 * x + c.m1 * v1 + c.m2 * v2;
    }
    return static_cast<float>(x);
}

void FilterRunner::process(const AudioBlock& block) {
    if (moving_) {
        run_moving(block);
    } else {
        run_still(block);
    }
}

void FilterRunner::run_still(const AudioBlock& block) {
    for (size_t i = 0; i < static_cast<size_t>(count_); ++i) {
        const Coefficients c = now_[i];
        for (int ch = 0; ch < block.channels; ++ch) {
            State s = state_[i][static_cast<size_t>(ch)];
            float* x = block[ch];
            for (int n = 0; n < block.frames; ++n) {
                const double in = x[n];
                const double v3 = in - s.s2;
                const double v1 = c.a1 * s.s1 + c.a2 * v3;
                const double v2 = s.s2 + c.a2 * s.s1 + c.a3 * v3;
                s.s1 = 2.0 * v1 - s.s1;
                s.s2 = 2.0 * v2 - s.s2;
                x[n] = static_cast<float>(c.m0 * in + c.m1 * v1 + c.m2 * v2);
            }
            state_[i][static_cast<size_t>(ch)] = s;
        }
    }
}

void FilterRunner::run_moving(const AudioBlock& block) {
    for (size_t i = 0; i < static_cast<size_t>(count_); ++i) {
        const Coefficients d = step_[i];
        Coefficients end = now_[i];
        for (int ch = 0; ch < block.channels; ++ch) {
            Coefficients c = now_[i];
            State s = state_[i][static_cast<size_t>(ch)];
            float* x = block[ch];
            for (int n = 0; n < block.frames; ++n) {
                c.a1 += d.a1;
                c.a2 += d.a2;
                c.a3 += d.a3;
                c.m0 += d.m0;
                c.m1 += d.m1;
                c.m2 += d.m2;
                const double in = x[n];
                const double v3 = in - s.s2;
                const double v1 = c.a1 * s.s1 + c.a2 * v3;
                const double v2 = s.s2 + c.a2 * s.s1 + c.a3 * v3;
                s.s1 = 2.0 * v1 - s.s1;
                s.s2 = 2.0 * v2 - s.s2;
                x[n] = static_cast<float>(c.m0 * in + c.m1 * v1 + c.m2 * v2);
            }
            state_[i][static_cast<size_t>(ch)] = s;
            end = c;
        }
        now_[i] = end;
    }
}

}  // namespace reed
