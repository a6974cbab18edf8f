// Tracks the spectrum of background noise under other sounds.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <span>
#include <vector>

#include "suppression/noise_update_control.h"

namespace reed {

inline constexpr float kLeastNoise = 1e-12f;  ///< power per band, far below the resolution of 24 bits

/// I. Cohen, "Noise estimation by minima controlled recursive averaging for robust speech enhancement", IEEE
/// Signal Processing Letters 9 (1), 2002. The minimum is searched over 1.5 to 3 s, so that long vowels are
/// not noise. The constants of the paper (threshold 5, presence 0.2, noise 0.95 per 8 ms) let weak speech
/// leak into the estimate; these ones are empirical (bench/suppression: STOI rises where it fell by 0.01 to
/// 0.03). Without speech the estimate adapts within 0.12 s; during speech it is frozen.
class NoiseTracker {
  public:
    NoiseTracker(size_t bins, double hop_seconds)
        : here_(bins, 0.0f),
          smooth_(bins, 0.0f),
          least_(bins, 0.0f),
          newer_least_(bins, 0.0f),
          presence_(bins, 0.0f),
          smooth_keep_(keep(0.8, hop_seconds)),
          noise_keep_(keep(0.98, hop_seconds)),
          presence_keep_(keep(0.01, hop_seconds)),
          quick_keep_(static_cast<float>(std::exp(-hop_seconds / kQuick))),
          earlier_(bins * static_cast<size_t>(1.0 + kDelay / hop_seconds), 0.0f),
          start_(4 + static_cast<int>(0.3 / hop_seconds)),
          window_(static_cast<int>(1.5 / hop_seconds)) {}

    /// Overwrites `noise` with the estimated noise power per band.
    void follow(std::span<const float> power, std::vector<float>& noise, Learning learning) {
        const size_t n = power.size();
        float loudest = 0.0f;
        for (size_t k = 0; k < n; ++k) loudest = std::max(loudest, power[k]);
        // Digital silence is not noise: a minimum of zero would hide the noise that follows for seconds.
        if (loudest <= kLeastNoise) return;
        here_[0] = power[0];
        here_[n - 1] = power[n - 1];
        for (size_t k = 1; k + 1 < n; ++k)
            here_[k] = 0.25f * power[k - 1] + 0.5f * power[k] + 0.25f * power[k + 1];
        // Fast learning uses frames that are older than the delay of speech detection.
        float* newest = &earlier_[n * slot_];
        slot_ = (slot_ + 1) % (earlier_.size() / n);
        std::copy(power.begin(), power.end(), newest);
        if (beginning()) {
            begin(power, noise);
        } else if (learning == Learning::quickly) {
            follow_quickly(std::span(earlier_).subspan(n * slot_, n), noise);
        } else if (learning == Learning::hold) {
            fall(power, noise);
        } else {
            follow_minima(power, noise);
        }
    }
    /// Uses `noise` as the initial estimate.
    void begin_with(const std::vector<float>& noise) {
        heard_ = start_ + 1;
        smooth_ = least_ = newer_least_ = noise;
        std::fill(presence_.begin(), presence_.end(), 0.0f);
    }
    void reset() {
        frames_ = 0;
        heard_ = 0;
    }
    /// Whether there is too little input for an estimate yet.
    bool beginning() const { return heard_ <= start_; }

  private:
    static constexpr float kRise = 3.5f;
    static constexpr float kMostOverLeast = 6.0f;
    static constexpr double kQuick = 0.12;  // s
    static constexpr double kDelay = 0.16;  // s
    static float keep(double paper, double hop_seconds) {
        return static_cast<float>(std::pow(paper, hop_seconds / 0.008));
    }
    /// The analysis window is full with the fourth frame, the first one with a valid level. The initial
    /// estimate is the mean of the next frames: a single frame varies too much, and a minimum from one of its
    /// gaps would count noise as speech until the search window has passed.
    void begin(std::span<const float> power, std::vector<float>& noise) {
        const bool first = ++heard_ <= 4;
        const float share = first ? 1.0f : 1.0f / static_cast<float>(heard_ - 3);
        for (size_t k = 0; k < power.size(); ++k) {
            noise[k] = std::max(kLeastNoise, noise[k] + share * (power[k] - noise[k]));
            smooth_[k] += share * (here_[k] - smooth_[k]);
        }
        std::fill(presence_.begin(), presence_.end(), 0.0f);
        least_ = newer_least_ = smooth_;
    }
    void follow_quickly(std::span<const float> power, std::vector<float>& noise) {
        for (size_t k = 0; k < power.size(); ++k) {
            smooth_[k] = smooth_keep_ * smooth_[k] + (1.0f - smooth_keep_) * here_[k];
            noise[k] = std::max(kLeastNoise, quick_keep_ * noise[k] + (1.0f - quick_keep_) * power[k]);
            // The speech decision of the next frame is based on this.
            least_[k] = newer_least_[k] = std::min(std::max(smooth_[k], 0.25f * noise[k]), noise[k]);
            presence_[k] = 0.0f;
        }
    }
    void fall(std::span<const float> power, std::vector<float>& noise) {
        for (size_t k = 0; k < power.size(); ++k) {
            smooth_[k] = smooth_keep_ * smooth_[k] + (1.0f - smooth_keep_) * here_[k];
            least_[k] = std::min(least_[k], smooth_[k]);
            newer_least_[k] = std::min(newer_least_[k], smooth_[k]);
            noise[k] = std::max(kLeastNoise, std::min(noise[k], kMostOverLeast * least_[k]));
        }
    }
    void follow_minima(std::span<const float> power, std::vector<float>& noise) {
        const bool turn = ++frames_ % window_ == 0;
        const float* here = here_.data();
        const float* now = power.data();
        float* smooth = smooth_.data();
        float* least = least_.data();
        float* newer = newer_least_.data();
        float* presence = presence_.data();
        float* out = noise.data();
        const float keep_smooth = smooth_keep_;
        const float keep_presence = presence_keep_;
        const float keep_noise = noise_keep_;
        for (size_t k = 0; k < power.size(); ++k) {
            const float s = keep_smooth * smooth[k] + (1.0f - keep_smooth) * here[k];
            smooth[k] = s;
            const float before = turn ? newer[k] : least[k];
            newer[k] = turn ? s : std::min(newer[k], s);
            least[k] = std::min(before, s);
            const float speech = s > kRise * least[k] ? 1.0f : 0.0f;
            const float p = keep_presence * presence[k] + (1.0f - keep_presence) * speech;
            presence[k] = p;
            const float stay = keep_noise + (1.0f - keep_noise) * p;
            const float followed = stay * out[k] + (1.0f - stay) * now[k];
            // An initial estimate that contained speech falls at the first pause.
            out[k] = std::max(kLeastNoise, std::min(followed, kMostOverLeast * least[k]));
        }
    }

    std::vector<float> here_, smooth_, least_, newer_least_, presence_;
    float smooth_keep_, noise_keep_, presence_keep_, quick_keep_;
    std::vector<float> earlier_;  // powers of the newest frames, as a ring
    int start_, window_;
    size_t slot_ = 0;
    int heard_ = 0;
    std::int64_t frames_ = 0;
};

}  // namespace reed
