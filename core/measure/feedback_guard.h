// Feedback building up between loudspeaker and microphone.
#pragma once

#include <span>
#include <vector>

#include "dsp/fourier.h"

namespace reed {

/// A howl is one tone that holds nearly all of the sound, stays at its frequency, and is loud or growing;
/// voices glide and have harmonics. Frames of 43 ms (2048 at 48 kHz), half overlapping.
class HowlDetector {
  public:
    explicit HowlDetector(double sample_rate);

    /// True once a howl has lasted: 80 % of the power within three bins, the same for 0.4 s, between 100 Hz
    /// and 12 kHz, above -40 dBFS and not fading, or above -12 dBFS for 0.25 s. These figures are our choice.
    bool add(std::span<const float> sound);
    void restart();
    /// Hz of the tone last suspected.
    double frequency() const { return frequency_; }
    /// dBFS of the sound it was last suspected in.
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

/// What is to be done with the monitor now.
enum class FeedbackAction {
    nothing,
    lower,    ///< by kHowlLoweredDb: does the tone fall with it?
    restore,  ///< it did not, or it is not sure yet: back to where it was
    cut       ///< the monitor feeds the tone
};
inline constexpr double kHowlLoweredDb = -12.0;

/// Cuts the monitor for feedback alone. A tone that lasts may be a whistle, a hummed note or a beep, so the
/// monitor is lowered for 0.35 s first: what goes on as before is none of ours, and is not tried again for
/// three seconds. What falls by 9 dB may have ended by itself; it is feedback when it comes back with the
/// monitor and falls with it once more within ten seconds. These figures are our choice.
class FeedbackGuard {
  public:
    explicit FeedbackGuard(double sample_rate);

    /// The microphone's sound, in pieces of at most some milliseconds: a step is for the end of the piece.
    FeedbackAction add(std::span<const float> sound);
    /// Hz of the tone that was judged last.
    double frequency() const { return frequency_; }

  private:
    FeedbackAction judge();
    double tone_power() const;

    double sample_rate_;
    HowlDetector detector_;
    std::vector<float> heard_;  // since the monitor was lowered
    bool lowered_ = false;
    double time_ = 0.0;  // s of sound so far
    double frequency_ = 0.0, level_ = 0.0;
    double cleared_ = -1.0, cleared_at_ = -1e9;  // Hz that is none of ours, and since when
    double fell_ = -1.0, fell_at_ = -1e9;        // Hz that has fallen once, and when
};

}  // namespace reed
