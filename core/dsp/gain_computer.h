// Static curves and ballistics of compressor and expander.
//
// Source: D. Giannoulis, M. Massberg, J. D. Reiss, "Digital Dynamic Range Compressor Design: A Tutorial
// and Analysis", J. Audio Eng. Soc. 60 (6), 2012.
#pragma once

#include <algorithm>
#include <cmath>

namespace reed {

/// How far `level` reaches over a threshold, with the quadratic knee of the tutorial's eq. 4:
/// 0 below the knee, level - threshold above it. Knee is the whole width in dB, 0 or more.
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

/// Reduction in dB (>= 0) of a downward expander: below the threshold every dB in becomes R dB out,
/// down to `range` dB (>= 0) of reduction.
inline float expander_reduction(float level, float threshold, float ratio, float knee, float range) {
    const float under = knee_overshoot(-level, -threshold, knee);
    return std::min((ratio - 1.0f) * under, range);
}

/// Follows a wanted reduction in dB. Time constants: 63 % of the way.
///
/// With RMS detection: smooth branching (tutorial, eq. 16). With peak detection the wanted reduction drops
/// at every zero crossing of the sound, so there the decoupled form (eq. 17) first holds the extreme with
/// the release time and then applies the attack; a steady tone settles on the static curve.
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
    // Doubles: a step of a long release at 192 kHz is too small for a float to move by it.
    double attack_ = 1.0, release_ = 1.0, held_ = 0.0, state_ = 0.0;
    bool decoupled_ = false;
};

}  // namespace reed
