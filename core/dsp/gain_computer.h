// Static curves and ballistics of compressor and expander.
//
// Source: D. Giannoulis, M. Massberg, J. D. Reiss, "Digital Dynamic Range Compressor Design: A Tutorial
// and Analysis", J. Audio Eng. Soc. 60 (6), 2012.
#pragma once

#include <algorithm>
#include <cmath>

namespace reed {

/// Excess of `level` over a threshold, with the quadratic knee of the tutorial's eq. 4:
/// 0 below the knee, level - threshold above it. Knee: total width in dB, 0 or more.
inline float knee_overshoot(float level, float threshold, float knee) {
    const float over = level - threshold;
    const float half = 0.5f * knee;
    const float inside = std::min(std::max(over + half, 0.0f), knee);
    const float bend = knee > 0.0f ? inside * inside / (2.0f * knee) : 0.0f;
    return bend + std::max(over - half, 0.0f);
}

/// Reduction in dB (>= 0) of a compressor at `level` dBFS; ratio R:1, R >= 1.
inline float compressor_reduction(float level, float threshold, float ratio, float knee) {
    return (1.0f - 1.0f / ratio) * knee_overshoot(level, threshold, knee);
}

/// Reduction in dB (>= 0) of a downward expander: below the threshold each dB of input is R dB of
/// output, down to a reduction of `range` dB (>= 0).
inline float expander_reduction(float level, float threshold, float ratio, float knee, float range) {
    const float under = knee_overshoot(-level, -threshold, knee);
    return std::min((ratio - 1.0f) * under, range);
}

/// Smooths a target reduction in dB. Time constants: 63 % of a change.
///
/// With RMS detection: smooth branching (tutorial, eq. 16). With peak detection the target reduction drops at
/// every zero crossing of the signal, so the decoupled form (eq. 17) first holds the extreme with the release
/// time and then applies the attack; a steady tone settles on the static curve.
class Ballistics {
  public:
    /// A compressor's attack raises the reduction; an expander's lowers it.
    enum class Attack { raises, lowers };
    explicit Ballistics(Attack attack = Attack::raises) : sign_(attack == Attack::raises ? 1.0f : -1.0f) {}

    void set(double sample_rate, double attack_ms, double release_ms, bool decoupled) {
        attack_ = pole(sample_rate, attack_ms);
        release_ = pole(sample_rate, release_ms);
        decoupled_ = decoupled;
    }
    void reset(float value = 0.0f) { held_ = state_ = sign_ * value; }
    float next(float wanted) {
        const double target = sign_ * wanted;
        if (decoupled_) {
            held_ = std::max(target, held_ + release_ * (target - held_));
            state_ += attack_ * (held_ - state_);
        } else {
            state_ += (target > state_ ? attack_ : release_) * (target - state_);
            held_ = state_;
        }
        return sign_ * static_cast<float>(state_);
    }

    static double pole(double sample_rate, double ms) {
        return 1.0 - std::exp(-1.0 / (std::max(ms, 1e-3) * 0.001 * sample_rate));
    }

  private:
    float sign_;
    // Doubles: a step of a long release at 192 kHz is below the resolution of a float.
    double attack_ = 1.0, release_ = 1.0, held_ = 0.0, state_ = 0.0;
    bool decoupled_ = false;
};

}  // namespace reed
