// Detection of acoustic feedback between loudspeaker and microphone.
#pragma once

#include <span>
#include <vector>

#include "dsp/fourier.h"

namespace reed {

/// Feedback is a single tone with nearly all of the power, at a constant frequency, loud or growing; voices
/// glide and have harmonics. Frames of 43 ms (2048 at 48 kHz), 50 % overlap.
class HowlDetector {
  public:
    explicit HowlDetector(double sample_rate);

    /// True once feedback has lasted: 80 % of the power within three bins, the same for 0.4 s, between 100 Hz
    /// and 12 kHz, above -40 dBFS and not decaying, or above -12 dBFS for 0.25 s. Empirical values.
    bool add(std::span<const float> sound);
    void restart();
    /// Frequency of the last suspected tone in Hz.
    double frequency() const { return frequency_; }
    /// Level of the signal at that time in dBFS.
    double level() const { return level_; }

  private:
    bool look();
    double sample_rate_;
    Fourier fourier_;
    std::vector<float> window_, waiting_;
    size_t bin_ = 0;
    int lasted_ = 0, loud_ = 0;
    double first_power_ = 0.0, last_power_ = 0.0, frequency_ = 0.0, level_ = 0.0;
};

/// Action on the monitor.
enum class FeedbackAction {
    nothing,
    lower,    ///< lower by kHowlLoweredDb to test whether the tone falls too
    restore,  ///< it did not fall, or it is not certain yet: restore the volume
    cut       ///< the tone is feedback: switch the monitor off
};
inline constexpr double kHowlLoweredDb = -12.0;

/// Switches the monitor off for feedback only. A sustained tone may be a whistle, a hummed note or a beep, so
/// the monitor is first lowered for 0.35 s. A tone that continues is no feedback, and is not tested again for
/// 3 s. A tone that falls by 9 dB may have ended; it is feedback if it returns with the monitor and falls
/// once more within 10 s. Empirical values.
class FeedbackGuard {
  public:
    explicit FeedbackGuard(double sample_rate);

    /// Adds microphone input, in blocks of at most some ms; the action applies to the end of the block.
    FeedbackAction add(std::span<const float> sound);
    /// Frequency of the last tested tone in Hz.
    double frequency() const { return frequency_; }

  private:
    FeedbackAction judge();
    double tone_power() const;

    double sample_rate_;
    HowlDetector detector_;
    std::vector<float> heard_;  // input since the monitor was lowered
    bool lowered_ = false;
    double time_ = 0.0;  // s of input so far
    double frequency_ = 0.0, level_ = 0.0;
    double cleared_ = -1.0, cleared_at_ = -1e9;  // Hz of a tone that is no feedback, and since when
    double fell_ = -1.0, fell_at_ = -1e9;        // Hz of a tone that fell once, and when
};

}  // namespace reed
