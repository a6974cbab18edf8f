// Tells the followers of a room's noise when they may learn: what sounds like somebody is no room.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <span>
#include <vector>

#include "base/fast_math.h"

namespace reed {

/// What a follower of the noise may do with the present frame.
enum class Learning {
    hold,    ///< nothing but fall: somebody makes this sound
    usual,   ///< somebody may be heard: only what stays is learnt
    quickly  ///< nobody is heard: this is the room, whatever it does
};

/// One per channel. Three signs of somebody: the sound repeats itself at a voice's rate, it began with a jump
/// of 10 dB and has not ended since, or it has just jumped by 6 dB. A sound that stays for 15 s, or that
/// jumped and has then been steady to within 3 dB for 3 s, is the room all the same. All figures are our
/// choice (bench/suppression).
class RoomWatch {
  public:
    /// `hop`: seconds from frame to frame; `bin_hz`: width of a band of `power`.
    RoomWatch(double hop, double bin_hz) : hop_(static_cast<float>(hop)) {
        for (size_t g = 0; g < kGroups; ++g) edges_[g] = static_cast<size_t>(std::lround(kEdges[g] / bin_hz));
        edges_[kGroups] = static_cast<size_t>(std::lround(kEdges[kGroups] / bin_hz));
        quick_ = 1.0f - std::exp(-hop_ / 0.030f);
        slow_ = 1.0f - std::exp(-hop_ / 0.200f);
        reach_ = std::max<size_t>(1, static_cast<size_t>(0.1f / hop_));
        recent_.assign(reach_ * kGroups, 0.0f);
    }
    void reset() {
        frames_ = 0;
        jumped_ = false;
        held_ = since_sign_ = since_other_ = steady_ = ended_ = 0.0f;
    }

    /// `power`, `noise`: of this frame and expected of the room, per band; `periodic`:
    /// Periodicity::strength(); `voice`: probability of speech, below 0 where nobody knows.
    Learning judge(std::span<const float> power, std::span<const float> noise, float periodic, float voice) {
        const auto [over, rise, still] = listen(power, noise);
        rise_ = rise;
        const bool repeats = periodic > kPeriodic && over > 0.0f;

        if (still) {
            steady_ += hop_;
        } else {
            steady_ = 0.0f;
            lowest_ = highest_ = slow_level_;
        }
        if (rise > kJump && !jumped_) {
            jumped_ = true;
            loudest_ = level_;
            steady_ = 0.0f;
            lowest_ = highest_ = slow_level_;
        }
        since_other_ = repeats || rise > kOnset ? 0.0f : since_other_ + hop_;
        if (jumped_) {
            loudest_ = std::max(loudest_, level_);
            ended_ = over < kEnded || level_ < loudest_ - kJump ||
                             (level_ < loudest_ - kFaded && since_other_ > kPatience)
                         ? ended_ + hop_
                         : 0.0f;
            if (ended_ > 0.1f || (steady_ > 3.0f && !repeats)) jumped_ = false;
        }
        since_sign_ = repeats || jumped_ || rise > kOnset ? 0.0f : since_sign_ + hop_;
        const bool holds = repeats || jumped_;
        if (holds)
            held_ += hop_;
        else if (over < kEnded)
            held_ = std::max(0.0f, held_ - 20.0f * hop_);
        if (holds && held_ < kMostHeld) return Learning::hold;
        return since_sign_ > (voice < 0.0f || voice > 0.3f ? kPatience : kPatience / 2) ? Learning::quickly
                                                                                        : Learning::usual;
    }

    /// dB by which a part of the newest sound has risen within a tenth of a second, out of the room.
    float rise() const { return rise_; }

  private:
    static constexpr size_t kGroups = 6;
    static constexpr float kEdges[kGroups + 1] = {80, 300, 800, 2000, 4500, 9000, 16000};
    static constexpr float kPeriodic = 0.45f;
    static constexpr float kJump = 10.0f, kOnset = 6.0f, kEnded = 6.0f, kSteady = 3.0f, kFaded = 4.0f,
                           kFaint = 35.0f;  // dB
    static constexpr float kMostHeld = 15.0f;
    static constexpr float kPatience = 0.3f;  // s

    struct Heard {
        float over = 0.0f;  // dB by which all of it is louder than the room
        float rise = 0.0f;  // dB
        bool still = false;
    };
    /// Levels of the groups, how far one of them has risen, and whether all that count have been steady.
    Heard listen(std::span<const float> power, std::span<const float> noise) {
        float total = 1e-12f;
        float expected = 1e-12f;
        float rise = 0.0f;
        bool still = true;
        std::array<float, kGroups> powers{};
        for (size_t g = 0; g < kGroups; ++g) {
            float p = 1e-12f;
            float n = 1e-12f;
            for (size_t k = edges_[g]; k < std::min(edges_[g + 1], power.size()); ++k) {
                p += power[k];
                n += noise[k];
            }
            total += p;
            expected += n;
            const float level = 3.0103f * fast_log2(p);  // dB of an arbitrary zero
            quick_level_[g] = frames_ == 0 ? level : quick_level_[g] + quick_ * (level - quick_level_[g]);
            slow_level_[g] = frames_ == 0 ? level : slow_level_[g] + slow_ * (level - slow_level_[g]);
            float* recent = &recent_[g * reach_];
            const size_t slot = static_cast<size_t>(frames_) % reach_;
            float least = quick_level_[g];
            if (frames_ >= static_cast<long>(reach_)) least = *std::min_element(recent, recent + reach_);
            recent[slot] = quick_level_[g];
            // A rise matters where it lifts the group out of the room. Wind rises by leaps in the lowest
            // group, and no voice in that one alone.
            const float over = quick_level_[g] - 3.0103f * fast_log2(n);
            if (g > 0 && quick_level_[g] > level_ - kFaint)
                rise = std::max(rise, std::min(quick_level_[g] - least, over));
            powers[g] = p;
        }
        for (size_t g = 0; g < kGroups; ++g) {
            if (powers[g] < 0.03f * total) continue;
            lowest_[g] = std::min(lowest_[g], slow_level_[g]);
            highest_[g] = std::max(highest_[g], slow_level_[g]);
            still = still && highest_[g] - lowest_[g] < kSteady;
        }
        ++frames_;
        const float level = 3.0103f * fast_log2(total);
        level_ = frames_ == 1 ? level : level_ + quick_ * (level - level_);
        return {level_ - 3.0103f * fast_log2(expected), rise, still};
    }

    float hop_, quick_, slow_;
    std::array<size_t, kGroups + 1> edges_{};
    std::array<float, kGroups> quick_level_{}, slow_level_{}, lowest_{}, highest_{};
    std::vector<float> recent_;
    size_t reach_;
    long frames_ = 0;
    float level_ = 0.0f, loudest_ = 0.0f, rise_ = 0.0f;
    bool jumped_ = false;
    float held_ = 0.0f, since_sign_ = 0.0f, since_other_ = 0.0f, steady_ = 0.0f, ended_ = 0.0f;  // s
};

}  // namespace reed
