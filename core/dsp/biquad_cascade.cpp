#include "dsp/biquad_cascade.h"

#include <cmath>

namespace reed {

BiquadCascade::Coefficients BiquadCascade::convert(const Biquad& f) {
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

namespace {

/// The free response of one pole pair: the next two outputs without input, per unit of each state.
struct Ring {
    double y0_s1, y0_s2, y1_s1, y1_s2;
};

template <typename Coefficients>
Ring ring_of(const Coefficients& c) {
    const auto step = [&](double s1, double s2, double& n1, double& n2) {
        const double v1 = c.a1 * s1 - c.a2 * s2;
        const double v2 = s2 + c.a2 * s1 - c.a3 * s2;
        n1 = 2.0 * v1 - s1;
        n2 = 2.0 * v2 - s2;
        return c.m1 * v1 + c.m2 * v2;
    };
    Ring r{};
    double n1 = 0.0;
    double n2 = 0.0;
    double unused1 = 0.0;
    double unused2 = 0.0;
    r.y0_s1 = step(1.0, 0.0, n1, n2);
    r.y1_s1 = step(n1, n2, unused1, unused2);
    r.y0_s2 = step(0.0, 1.0, n1, n2);
    r.y1_s2 = step(n1, n2, unused1, unused2);
    return r;
}

}  // namespace

void BiquadCascade::to_still(const Coefficients& c, const std::array<State, kMaxChannels>& state,
                             Still& still) {
    const Ring r = ring_of(c);
    for (size_t ch = 0; ch < kMaxChannels; ++ch) {
        const double y0 = r.y0_s1 * state[ch].s1 + r.y0_s2 * state[ch].s2;
        const double y1 = r.y1_s1 * state[ch].s1 + r.y1_s2 * state[ch].s2;
        still.s1[ch] = y0;
        still.s2[ch] = y1 + still.f.a1 * y0;
    }
}

void BiquadCascade::to_moving(const Still& still, const Coefficients& c,
                              std::array<State, kMaxChannels>& state) {
    const Ring r = ring_of(c);
    const double det = r.y0_s1 * r.y1_s2 - r.y0_s2 * r.y1_s1;
    for (size_t ch = 0; ch < kMaxChannels; ++ch) {
        state[ch] = {};
        // A filter that does nothing has nothing to ring.
        if (std::abs(det) < 1e-18) continue;
        const double y0 = still.s1[ch];
        const double y1 = still.s2[ch] - still.f.a1 * y0;
        state[ch].s1 = (y0 * r.y1_s2 - y1 * r.y0_s2) / det;
        state[ch].s2 = (y1 * r.y0_s1 - y0 * r.y1_s1) / det;
    }
}

void BiquadCascade::snap(const Sections& sections) {
    hold();
    count_ = sections.count;
    for (size_t i = 0; i < static_cast<size_t>(count_); ++i) still_[i].f = sections.biquads[i];
}

void BiquadCascade::glide(const Sections& sections) {
    if (sections.count != count_) {
        snap(sections);
        return;
    }
    for (size_t i = 0; i < static_cast<size_t>(count_); ++i) {
        if (moving_) {
            now_[i] = convert(goal_[i]);  // the end of the glide before, without its rounding
        } else {
            now_[i] = convert(still_[i].f);
            to_moving(still_[i], now_[i], state_[i]);
        }
        const Coefficients to = convert(sections.biquads[i]);
        const Coefficients& from = now_[i];
        constexpr double n = 1.0 / kSubBlock;
        step_[i] = {(to.a1 - from.a1) * n, (to.a2 - from.a2) * n, (to.a3 - from.a3) * n,
                    (to.m0 - from.m0) * n, (to.m1 - from.m1) * n, (to.m2 - from.m2) * n};
        goal_[i] = sections.biquads[i];
    }
    moving_ = true;
}

void BiquadCascade::hold() {
    if (!moving_) return;
    moving_ = false;
    for (size_t i = 0; i < static_cast<size_t>(count_); ++i) {
        still_[i].f = goal_[i];
        to_still(convert(goal_[i]), state_[i], still_[i]);
    }
}

void BiquadCascade::reset() {
    state_ = {};
    for (auto& s : still_) s = Still{s.f};
}

float BiquadCascade::next(int channel, float in) {
    double x = in;
    for (size_t i = 0; i < static_cast<size_t>(count_); ++i) {
        Still& s = still_[i];
        const double y = s.f.b0 * x + s.s1[channel];
        s.s1[channel] = s.f.b1 * x - s.f.a1 * y + s.s2[channel];
        s.s2[channel] = s.f.b2 * x - s.f.a2 * y;
        x = y;
    }
    return static_cast<float>(x);
}

void BiquadCascade::process(const AudioBlock& block) {
    if (moving_) {
        run_moving(block);
        return;
    }
    BiquadCascade* self = this;
    process_still(&self, 1, block);
}

void BiquadCascade::process_still(BiquadCascade* const* runners, int count, const AudioBlock& block) {
    constexpr int kMost = 20 * kMaxSections;
    Still* sections[kMost];
    int n = 0;
    for (int r = 0; r < count; ++r) {
        for (int i = 0; i < runners[r]->count_ && n < kMost; ++i) {
            sections[n++] = &runners[r]->still_[static_cast<size_t>(i)];
        }
    }
    run(sections, n, block);
}

void BiquadCascade::run(Still* const* sections, int count, const AudioBlock& block) {
    for (int done = 0; done < count;) {
        const int n = std::min(count - done, 6);
        Still* const* at = sections + done;
        switch (n) {
            case 6:
                run_group<6>(at, block);
                break;
            case 5:
                run_group<5>(at, block);
                break;
            case 4:
                run_group<4>(at, block);
                break;
            case 3:
                run_group<3>(at, block);
                break;
            case 2:
                run_group<2>(at, block);
                break;
            default:
                run_group<1>(at, block);
                break;
        }
        done += n;
    }
}

template <int N>
void BiquadCascade::run_group(Still* const* sections, const AudioBlock& block) {
    // Both channels at once as long as their states fit into registers.
    if (N <= 3 && block.channels == 2) {
        run_rows<N, 2>(sections, block, 0);
        return;
    }
    for (int ch = 0; ch < block.channels; ++ch) run_rows<N, 1>(sections, block, ch);
}

template <int N, int C>
void BiquadCascade::run_rows(Still* const* sections, const AudioBlock& block, int first) {
    Biquad f[N];
    double s1[N][C];
    double s2[N][C];
    float* rows[C];
    for (int k = 0; k < N; ++k) {
        f[k] = sections[k]->f;
        for (int ch = 0; ch < C; ++ch) {
            s1[k][ch] = sections[k]->s1[first + ch];
            s2[k][ch] = sections[k]->s2[first + ch];
        }
    }
    for (int ch = 0; ch < C; ++ch) rows[ch] = block[first + ch];
    for (int n = 0; n < block.frames; ++n) {
        double x[C];
        for (int ch = 0; ch < C; ++ch) x[ch] = rows[ch][n];
        for (int k = 0; k < N; ++k) {
            for (int ch = 0; ch < C; ++ch) {
                const double y = f[k].b0 * x[ch] + s1[k][ch];
                s1[k][ch] = (f[k].b1 * x[ch] + s2[k][ch]) - f[k].a1 * y;
                s2[k][ch] = f[k].b2 * x[ch] - f[k].a2 * y;
                x[ch] = y;
            }
        }
        for (int ch = 0; ch < C; ++ch) rows[ch][n] = static_cast<float>(x[ch]);
    }
    for (int k = 0; k < N; ++k) {
        for (int ch = 0; ch < C; ++ch) {
            sections[k]->s1[first + ch] = s1[k][ch];
            sections[k]->s2[first + ch] = s2[k][ch];
        }
    }
}

void BiquadCascade::run_moving(const AudioBlock& block) {
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
