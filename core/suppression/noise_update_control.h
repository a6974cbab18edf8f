// Tells the followers of a room's noise when they may learn: what sounds like somebody is no room.
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

namespace reed {

/// What a follower of the noise may do with the present frame.
enum class Learning {
    hold,    ///< nothing but fall: somebody makes this sound
    usual,   ///< somebody may be heard: only what stays is learnt
    quickly  ///< nobody is heard: this is the room, whatever it does
};

/// One per channel. Three signs of somebody: the sound repeats itself at a voice's rate, it began with a jump
/// of 10 dB and has not ended since, or it has just jumped by 6 dB. A sound that stays for 15 s, or that
/// jumped and has then been steady to within 3 dB for 3 s, is the room all the same. Where the room is known
/// to be restless (wind, above all), a sound that has the room's spectrum and does not repeat itself is the
/// room too, however loud. All figures are our choice (bench/suppression).
class NoiseUpdateControl {
  public:
    /// `hop`: seconds from frame to frame; `bin_hz`: width of a band of `power`.
    NoiseUpdateControl(double hop, double bin_hz);
    void reset();

    /// `power`, `noise`: of this frame and expected of the room, per band; `periodic`:
    /// Periodicity::strength().
    Learning judge(std::span<const float> power, std::span<const float> noise, float periodic);
    /// The room is not louder than all that was just heard by judge(): lowers `noise` where it says so, while
    /// and a second after somebody speaks.
    void bound(std::span<float> noise) const;

    /// dB by which a part of the newest sound has risen within a tenth of a second, out of the room.
    float rise() const { return rise_; }
    /// dB by which a restless room is louder than expected just now; 0 where this may be somebody.
    float louder() const { return louder_; }
    /// 0 to 1: how far the room's lowest tones are known to leap.
    float restless_lows() const;
    /// The first band above those lowest tones.
    size_t lows_end() const { return edges_[1]; }

  private:
    static constexpr size_t kGroups = 6;
    struct Heard {
        float over = 0.0f;    // dB by which all of it is louder than the room
        float rise = 0.0f;    // dB
        float mean = 0.0f;    // dB by which a group is louder than the room
        float uneven = 0.0f;  // dB, standard deviation of that over the groups
        bool still = false;
    };
    Heard listen(std::span<const float> power, std::span<const float> noise);
    void follow_jump(const Heard& heard, bool repeats, bool alike);
    float restless() const;

    float hop_, quick_, slow_, even_step_, bound_step_;
    std::array<size_t, kGroups + 1> edges_{};
    std::array<float, kGroups> quick_level_{}, slow_level_{}, lowest_{}, highest_{};
    std::array<float, kGroups> over_{};   // dB by which each group is louder than the room
    std::array<float, kGroups> gusts_{};  // dB that it seldom exceeds between words
    std::vector<float> recent_;
    size_t reach_;
    long frames_ = 0;
    float level_ = 0.0f, loudest_ = 0.0f, rise_ = 0.0f, uneven_ = 0.0f, louder_ = 0.0f;
    bool jumped_ = false;
    float held_ = 0.0f, since_sign_ = 0.0f, since_other_ = 0.0f, steady_ = 0.0f, ended_ = 0.0f;  // s
    float since_voice_ = 0.0f, since_silence_ = 0.0f;                                            // s
};

}  // namespace reed
