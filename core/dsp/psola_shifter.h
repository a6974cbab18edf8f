// Pitch and formant shifting of a voice.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "base/audio_block.h"
#include "dsp/pitch_detector.h"

namespace reed {

/// Pitch-synchronous overlap-add in the time domain (E. Moulines and F. Charpentier, "Pitch-synchronous
/// waveform processing techniques for text-to-speech synthesis using diphones", Speech Communication 9,
/// 1990): grains of two periods, windowed around pitch marks, are placed at the distance of the new pitch.
/// Their shape is unchanged, so formants are preserved; reading them faster or slower shifts formants.
/// Unvoiced sound is unchanged. With pitch and formants at 1 the signal is only delayed. Only prepare()
/// allocates.
class PsolaShifter {
  public:
    static constexpr double kMostStretch = 1.5;  ///< maximum downward shift of formants, as a factor

    void prepare(const StreamFormat& format);
    void reset();
    /// Latency in frames, independent of the settings.
    int latency() const { return latency_; }

    /// Last detected period in frames; 0 if there is none.
    double period() const { return period_; }
    /// Sets frequency factors: pitch 0.5 to 2, formants 1 / kMostStretch to 2. Call at a sub-block boundary.
    void begin_sub_block(double pitch, double formants);
    /// In place, at most kSubBlock frames; the block must not cross a sub-block boundary.
    void process(const AudioBlock& block);

  private:
    struct Mark {
        std::int64_t at = 0;
        double exact = 0.0;  // position with fraction; `at` is the nearest frame
        bool voiced = false;
    };
    void place_marks();
    double aligned(const Mark& last, double period) const;
    std::int64_t loudest(std::int64_t first, std::int64_t last) const;
    double likeness(std::int64_t a, std::int64_t b, double period) const;
    void lay_grains(double pitch, double stretch);
    void lay(double centre, double left, double right, double at, double stretch, float gain);
    void draw_window(std::int64_t first, std::int64_t last, double at, double up, double down);
    size_t place(std::int64_t frame) const { return static_cast<size_t>(frame) & mask_; }
    const Mark& mark(std::int64_t n) const { return marks_[static_cast<size_t>(n) % marks_.size()]; }

    int channels_ = 1, latency_ = 0, step_ = 1, grains_ = 0, every_ = 1;
    double longest_ = 1.0, unvoiced_ = 1.0, period_ = 0.0;
    size_t mask_ = 0;
    std::array<std::vector<float>, kMaxChannels> in_, out_;
    std::vector<float> low_;     // low-passed input of the pitch detector
    std::vector<float> window_;  // of the current grain
    PitchDetector finder_;
    std::array<Mark, 128> marks_{};
    std::int64_t now_ = 0;     // input frames
    std::int64_t marked_ = 0;  // number of pitch marks; the last is marked_ - 1
    std::int64_t used_ = 0;    // mark of the last grain
    double next_ = 0.0;        // output position of the next grain
};

}  // namespace reed
