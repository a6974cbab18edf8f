// Typical gain reduction of a compressor during speech, for automatic make-up gain.
#pragma once

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <numeric>

#include "base/fast_math.h"

namespace reed {

/// Histogram of the levels of speech over the last minute (older speech has less weight, pauses have none),
/// and the difference between the actual reduction (attack and release) and the curve. Both give the make-up
/// gain that restores the power of the voice. Levels far above the typical level of the voice have a quarter
/// of the weight, and the loudest kLoudest of the frames are excluded, so that a short shout changes nothing.
/// Quiet speech below the threshold counts fully. Empirical values: tests/reference/makeup_test.cpp. Audio
/// thread only, except state(), which is thread-safe.
class TypicalReduction {
  public:
    static constexpr int kBins = 31;             ///< of 2 dB, from -60 to 0 dBFS
    static constexpr double kSpan = 60.0;        ///< time constant in s of speech
    static constexpr double kLoudest = 0.10;     ///< share of the frames that is excluded
    using State = std::array<float, kBins + 2>;  ///< the bins, the difference in dB, seconds of speech

    /// Adds a sub-block: its maximum level in dBFS, the actual reduction `taken` and that of the `curve` in
    /// dB. `voice`: probability of speech, negative if unknown.
    void add(float level, float taken, double curve, double seconds, float voice) noexcept {
        // A detector that has just started reports too low levels.
        if (running_ < kDetectorStarts) {
            running_ += seconds;
            return;
        }
        follow_floor(level, seconds);
        const bool apart = level > std::max(floor() + kAboveFloor, typical_ - kBelowTypical);
        // If unknown, levels on which the curve acts count as well: a voice may continue without a pause.
        if (voice >= 0.0f ? voice < 0.5f : !apart && curve < kWorks) return;
        if (level < kLowest) return;
        const auto bin =
            static_cast<size_t>(std::clamp((level - kLowest) / kWidth + 0.5f, 0.0f, kBins - 1.0f));
        const bool shouted = known_ > kKnown && level > typical_ + kShout;
        const double counted = shouted ? kShoutCounts * seconds : seconds;
        // New values grow in weight, instead of all bins decaying.
        weight_ *= 1.0 + counted / kSpan;
        bins_[bin] += static_cast<float>(weight_ * counted);
        known_ = std::min(known_ + counted, kSpan);
        if (weight_ > 1e3) rescale();
        if (curve < kWorks) return;
        // The median by sign steps (H. Robbins, S. Monro, "A stochastic approximation method", Annals of
        // Mathematical Statistics 22 (3), 1951), quick at first, then ever slower.
        const double step = seconds * std::max(kSlowest, kQuickest / (1.0 + learnt_ / kHalved));
        difference_ += std::clamp(taken - curve - difference_, -step, step);
        learnt_ += seconds;
    }

    /// Gain factor that compensates the reduction of `curve` (dB at a level in dBFS) for this speech, at a
    /// wet share of `mix` (0 to 1). 1 while no speech is known.
    template <typename Curve>
    double makeup(Curve curve, double mix) noexcept {
        double total = 0.0;
        for (const float b : bins_) total += b;
        if (total <= 0.0) return 1.0;
        double above = 0.0, in = 0.0, out = 0.0;
        bool known = false;
        for (int i = kBins; i-- > 0;) {
            const double weight = bins_[static_cast<size_t>(i)];
            if (weight <= 0.0) continue;
            // The part of this bin that is not excluded as loudest.
            const double counts = std::clamp((above + weight - kLoudest * total) / weight, 0.0, 1.0) * weight;
            above += weight;
            const float level = kLowest + kWidth * static_cast<float>(i);
            if (!known && above >= kTypicalShare * total) {
                typical_ = level;
                known = true;
            }
            if (counts <= 0.0) continue;
            const double by_curve = curve(level);
            const double taken = by_curve < kWorks ? by_curve : std::max(0.0, by_curve + difference_);
            const double gain = 1.0 + mix * (fast_exp2(static_cast<float>(-kLog2PerDb * taken)) - 1.0);
            const double power = counts * fast_exp2(2.0f * kLog2PerDb * level);
            in += power;
            out += power * gain * gain;
        }
        return out > 0.0 ? std::sqrt(in / out) : 1.0;
    }

    /// Publishes the values for state().
    void publish() noexcept {
        for (size_t i = 0; i < kBins; ++i)
            published_[i].store(static_cast<float>(bins_[i] / weight_), std::memory_order_relaxed);
        published_[kBins].store(static_cast<float>(difference_), std::memory_order_relaxed);
        published_[kBins + 1].store(static_cast<float>(learnt_), std::memory_order_relaxed);
    }
    State state() const {
        State out{};
        for (size_t i = 0; i < out.size(); ++i) out[i] = published_[i].load(std::memory_order_relaxed);
        return out;
    }
    void set_state(const State& state) {
        std::copy_n(state.begin(), kBins, bins_.begin());
        weight_ = 1.0;
        known_ = std::accumulate(bins_.begin(), bins_.end(), 0.0);
        difference_ = state[kBins];
        learnt_ = state[kBins + 1];
        publish();
    }

  private:
    static constexpr float kLowest = -60.0f, kWidth = 2.0f;  // dBFS, dB
    static constexpr float kAboveFloor = 9.0f;               // dB; levels closer to the floor are no speech
    static constexpr float kBelowTypical = 25.0f;            // dB; lower levels are no speech
    static constexpr float kShout = 8.0f;                    // dB above typical_
    static constexpr double kShoutCounts = 0.25;
    static constexpr double kKnown = 3.0;         // s of speech before shouts are detected
    static constexpr double kTypicalShare = 0.2;  // share of the frames above typical_
    static constexpr double kWorks = 0.5;         // dB of reduction from which the curve acts
    static constexpr double kQuickest = 30.0, kSlowest = 0.15, kHalved = 0.3;  // dB/s, dB/s, s
    static constexpr float kNoRoom = -100.0f;                                  // dBFS
    static constexpr double kDetectorStarts = 0.1;                             // s
    static constexpr double kFloorSeconds = 1.0;  // of each of the minima of floor()
    static constexpr size_t kFloors = 8;

    void follow_floor(float level, double seconds) noexcept {
        // Zeros of a muted microphone are not background noise.
        if (level > kNoRoom) now_lowest_ = std::min(now_lowest_, level);
        floor_for_ += seconds;
        if (floor_for_ < kFloorSeconds) return;
        lowest_[next_floor_] = now_lowest_;
        next_floor_ = (next_floor_ + 1) % kFloors;
        lowest_known_ = *std::min_element(lowest_.begin(), lowest_.end());
        now_lowest_ = 0.0f;
        floor_for_ = 0.0;
    }
    /// Minimum level of the last seconds: that of the background noise.
    float floor() const { return std::min(lowest_known_, now_lowest_); }
    void rescale() noexcept {
        for (float& b : bins_) b = static_cast<float>(b / weight_);
        weight_ = 1.0;
    }

    std::array<float, kBins> bins_{};
    double weight_ = 1.0, known_ = 0.0, difference_ = 0.0, learnt_ = 0.0;
    float typical_ = kLowest;
    std::array<float, kFloors> lowest_{};
    float lowest_known_ = 0.0f, now_lowest_ = 0.0f;
    size_t next_floor_ = 0;
    double floor_for_ = 0.0, running_ = 0.0;
    std::array<std::atomic<float>, kBins + 2> published_{};
};

}  // namespace reed
