// Decides when noise estimates may adapt.
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

namespace reed {

/// How the noise estimate may change with the current frame.
enum class Learning {
    hold,    ///< decrease only: this is speech
    usual,   ///< this may be speech: adapt to constant sound only
    quickly  ///< no speech: this is background noise
};

/// One per channel. Speech is detected by one of three signs: the sound is periodic at the rate of a voice;
/// it began with a step of 10 dB and has not ended; it has just risen by 6 dB. A sound that lasts for 15 s,
/// or that is constant within 3 dB for 3 s after a step, is background noise nevertheless. If the noise is
/// known to fluctuate (wind), an aperiodic sound with the spectrum of the noise is noise at any level.
/// Empirical values (bench/suppression).
class NoiseUpdateControl {
  public:
    /// `hop`: seconds per frame; `bin_hz`: width of a band of `power`.
    NoiseUpdateControl(double hop, double bin_hz);
    void reset();

    /// `power`: of this frame per band; `noise`: estimated noise per band; `periodic`:
    /// Periodicity::strength().
    Learning judge(std::span<const float> power, std::span<const float> noise, float periodic);
    /// The noise can't be louder than the frames of judge(): lowers `noise` accordingly during speech and 1 s
    /// after it.
    void bound(std::span<float> noise) const;

    /// Rise of a part of the spectrum above the noise within 0.1 s, in dB.
    float rise() const { return rise_; }
    /// Level of fluctuating noise above its estimate in dB; 0 if this may be speech.
    float louder() const { return louder_; }
    /// How much the lowest bands of the noise fluctuate, 0 to 1.
    float restless_lows() const;
    /// First band above those lowest bands.
    size_t lows_end() const { return edges_[1]; }

  private:
    static constexpr size_t kGroups = 6;
    struct Heard {
        float over = 0.0f;    // level above the noise in dB, all bands
        float rise = 0.0f;    // dB
        float mean = 0.0f;    // mean level of the groups above the noise in dB
        float uneven = 0.0f;  // standard deviation over the groups in dB
        bool still = false;
    };
    Heard listen(std::span<const float> power, std::span<const float> noise);
    void follow_jump(const Heard& heard, bool repeats, bool alike);
    float restless() const;

    float hop_, quick_, slow_, even_step_, bound_step_;
    std::array<size_t, kGroups + 1> edges_{};
    std::array<float, kGroups> quick_level_{}, slow_level_{}, lowest_{}, highest_{};
    std::array<float, kGroups> over_{};   // level of each group above the noise in dB
    std::array<float, kGroups> gusts_{};  // rarely exceeded between words, in dB
    std::vector<float> recent_;
    size_t reach_;
    long frames_ = 0;
    float level_ = 0.0f, loudest_ = 0.0f, rise_ = 0.0f, uneven_ = 0.0f, louder_ = 0.0f;
    bool jumped_ = false;
    float held_ = 0.0f, since_sign_ = 0.0f, since_other_ = 0.0f, steady_ = 0.0f, ended_ = 0.0f;  // s
    float since_voice_ = 0.0f, since_silence_ = 0.0f;                                            // s
};

}  // namespace reed
