#include "suppression/noise_update_control.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/fast_math.h"

namespace reed {
namespace {

constexpr float kEdges[] = {80, 300, 800, 2000, 4500, 9000, 16000};  // Hz
constexpr float kPeriodic = 0.45f, kPeriodicGust = 0.5f;
constexpr float kJump = 10.0f, kOnset = 6.0f, kEnded = 6.0f, kSteady = 3.0f, kFaded = 4.0f,
                kFaint = 35.0f;  // dB
constexpr float kMostHeld = 15.0f;
constexpr float kPatience = 0.2f;                // s
constexpr float kLongPatience = 0.3f;            // s; keys that are typed are less than that apart
constexpr float kSpoken = 1.5f;                  // s, between words
constexpr float kSeldom = 0.05f;                 // share of the time in which gusts are higher
constexpr float kGustSpeed = 20.0f;              // dB/s
constexpr float kMostGust = 30.0f;               // dB
constexpr float kEven = 2.5f, kUneven = 4.0f;    // dB
constexpr float kCalm = 2.0f, kRestless = 4.0f;  // dB of gusts; a fan's are 1, those of a fountain 1.5 to 4
constexpr float kCalmLows = 3.0f, kRestlessLows = 5.0f;
constexpr float kSilence = 1e-9f;  // power of all bands, far below what a converter gives
constexpr float kSettled = 0.2f;   // s, of levels
constexpr float kDull = 4.0f;      // dB
constexpr float kBelow = 2.0f;     // dB that a group's level falls below its mean by chance

float in_db(float power) {
    return 3.0103f * fast_log2(power);
}
float between(float x, float low, float high) {
    return std::clamp((x - low) / (high - low), 0.0f, 1.0f);
}

}  // namespace

NoiseUpdateControl::NoiseUpdateControl(double hop, double bin_hz) : hop_(static_cast<float>(hop)) {
    for (size_t g = 0; g <= kGroups; ++g) edges_[g] = static_cast<size_t>(std::lround(kEdges[g] / bin_hz));
    quick_ = 1.0f - std::exp(-hop_ / 0.030f);
    slow_ = 1.0f - std::exp(-hop_ / 0.200f);
    even_step_ = 1.0f - std::exp(-hop_ / 0.060f);
    bound_step_ = 1.0f - std::exp(-hop_ / 0.022f);
    reach_ = std::max<size_t>(1, static_cast<size_t>(0.1f / hop_));
    recent_.assign(reach_ * kGroups, 0.0f);
    uneven_ = kUneven;
    since_voice_ = kSpoken + 1.0f;
}

void NoiseUpdateControl::reset() {
    frames_ = 0;
    jumped_ = false;
    held_ = since_sign_ = since_other_ = since_silence_ = steady_ = ended_ = 0.0f;
    since_voice_ = kSpoken + 1.0f;
    gusts_.fill(0.0f);
    uneven_ = kUneven;
    rise_ = louder_ = 0.0f;
}

Learning NoiseUpdateControl::judge(std::span<const float> power, std::span<const float> noise,
                                   float periodic) {
    const Heard heard = listen(power, noise);
    const bool repeats = periodic > kPeriodic && heard.over > 0.0f;
    // A voice has the room's spectrum for a moment now and then: unevenness counts at once, evenness later.
    uneven_ = std::max(heard.uneven, uneven_ + even_step_ * (heard.uneven - uneven_));
    const float alike =
        periodic > kPeriodicGust ? 0.0f : restless() * (1.0f - between(uneven_, kEven, kUneven));
    louder_ = alike * std::max(0.0f, heard.mean);
    rise_ = alike > 0.5f ? 0.0f : heard.rise;

    since_voice_ = repeats ? 0.0f : since_voice_ + hop_;
    since_other_ = repeats || rise_ > kOnset ? 0.0f : since_other_ + hop_;
    follow_jump(heard, repeats, alike > 0.5f);
    const bool holds = repeats || jumped_;
    if (holds)
        held_ += hop_;
    else if (heard.over < kEnded)
        held_ = std::max(0.0f, held_ - 20.0f * hop_);
    if (holds && held_ < kMostHeld) return Learning::hold;
    if (since_sign_ <= (since_voice_ > kSpoken ? kLongPatience : kPatience)) return Learning::usual;
    // The quantile follows by steps, up as often as down (H. Robbins and S. Monro, "A stochastic
    // approximation method", Annals of Mathematical Statistics 22, 1951).
    for (size_t g = 0; g < kGroups; ++g) {
        const float step = over_[g] > gusts_[g] ? 1.0f - kSeldom : -kSeldom;
        gusts_[g] = std::clamp(gusts_[g] + kGustSpeed * hop_ * step, 0.0f, kMostGust);
    }
    return Learning::quickly;
}

void NoiseUpdateControl::follow_jump(const Heard& heard, bool repeats, bool alike) {
    const auto begin_steady = [this] {
        steady_ = 0.0f;
        lowest_ = highest_ = slow_level_;
    };
    if (heard.still)
        steady_ += hop_;
    else
        begin_steady();
    if (rise_ > kJump && !jumped_) {
        jumped_ = true;
        loudest_ = level_;
        begin_steady();
    }
    if (jumped_) {
        loudest_ = std::max(loudest_, level_);
        const bool fell = level_ < loudest_ - kJump;
        // Aperiodic and without content above 2 kHz it is a rumble: a lorry came during speech.
        const bool dull = std::max({over_[3], over_[4], over_[5]}) < kDull;
        const bool faded = since_other_ > kPatience && (alike || dull || level_ < loudest_ - kFaded);
        ended_ = heard.over < kEnded || fell || faded ? ended_ + hop_ : 0.0f;
        if (ended_ > 0.1f || (steady_ > 3.0f && !repeats)) {
            jumped_ = false;
            since_sign_ = since_other_;  // what lasted had been the room for that long already
            return;
        }
    }
    since_sign_ = repeats || jumped_ || rise_ > kOnset ? 0.0f : since_sign_ + hop_;
}

void NoiseUpdateControl::bound(std::span<float> noise) const {
    // Without speech the noise is known already, and keys typed in a row stay recognised.
    if (since_voice_ > kSpoken) return;
    // Zeros, of a microphone that is muted, say nothing of the room; nor do levels that still climb out of
    // them.
    if (since_silence_ < kSettled) return;
    for (size_t g = 0; g < kGroups; ++g) {
        const float below = over_[g] + kBelow;
        if (below >= 0.0f) continue;
        const float by = fast_exp2(bound_step_ * below / 3.0103f);
        const size_t end = std::min(edges_[g + 1], noise.size());
        for (size_t k = g == 0 ? 0 : edges_[g]; k < end; ++k) noise[k] *= by;
    }
}

float NoiseUpdateControl::restless() const {
    const float mean = std::accumulate(gusts_.begin(), gusts_.end(), 0.0f) / static_cast<float>(kGroups);
    return between(mean, kCalm, kRestless);
}

float NoiseUpdateControl::restless_lows() const {
    return between(gusts_[0], kCalmLows, kRestlessLows);
}

/// Levels of the groups, how far one of them has risen, and whether all that count have been steady.
NoiseUpdateControl::Heard NoiseUpdateControl::listen(std::span<const float> power,
                                                     std::span<const float> noise) {
    Heard out;
    float total = 1e-12f;
    float expected = 1e-12f;
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
        const float level = in_db(p);  // of an arbitrary zero
        quick_level_[g] = frames_ == 0 ? level : quick_level_[g] + quick_ * (level - quick_level_[g]);
        slow_level_[g] = frames_ == 0 ? level : slow_level_[g] + slow_ * (level - slow_level_[g]);
        float* recent = &recent_[g * reach_];
        const size_t slot = static_cast<size_t>(frames_) % reach_;
        float least = quick_level_[g];
        if (frames_ >= static_cast<long>(reach_)) least = *std::min_element(recent, recent + reach_);
        recent[slot] = quick_level_[g];
        // A rise matters where it lifts the group out of the room. Wind rises by leaps in the lowest
        // group, and no voice in that one alone.
        over_[g] = quick_level_[g] - in_db(n);
        if (g > 0 && quick_level_[g] > level_ - kFaint)
            out.rise = std::max(out.rise, std::min(quick_level_[g] - least, over_[g]));
        powers[g] = p;
    }
    out.still = true;
    for (size_t g = 0; g < kGroups; ++g) {
        out.mean += over_[g] / static_cast<float>(kGroups);
        if (powers[g] < 0.03f * total) continue;
        lowest_[g] = std::min(lowest_[g], slow_level_[g]);
        highest_[g] = std::max(highest_[g], slow_level_[g]);
        out.still = out.still && highest_[g] - lowest_[g] < kSteady;
    }
    for (const float over : over_)
        out.uneven += (over - out.mean) * (over - out.mean) / static_cast<float>(kGroups);
    out.uneven = std::sqrt(out.uneven);
    ++frames_;
    since_silence_ = total < kSilence ? 0.0f : since_silence_ + hop_;
    const float level = in_db(total);
    level_ = frames_ == 1 ? level : level_ + quick_ * (level - level_);
    out.over = level_ - in_db(expected);
    return out;
}

}  // namespace reed
