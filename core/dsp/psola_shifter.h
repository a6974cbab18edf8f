// A voice cut into its periods and put together at another pitch.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "base/audio_block.h"
#include "dsp/pitch_detector.h"

namespace reed {

/// Pitch-synchronous overlap-add in the time domain (E. Moulines and F. Charpentier, "Pitch-synchronous
/// waveform processing techniques for text-to-speech synthesis using diphones", Speech Communication 9,
/// 1990): two periods at a time, windowed about a mark, set at the distance of the new pitch. They keep their
/// shape, so formants stay; read faster or slower, formants move. What has no pitch stays as it is. At a
/// pitch and formants of 1 the sound is only delayed. Only prepare() allocates.
class PsolaShifter {
  public:
    static constexpr double kMostStretch = 1.5;  ///< of the formants, down

    void prepare(const StreamFormat& format);
    void reset();
    /// Frames; does not depend on what is changed.
    int latency() const { return latency_; }

    /// Frames of a period as it was found last; 0: none.
    double period() const { return period_; }
    /// At a grain boundary. Both as factors of the frequency, pitch 0.5 to 2, formants 1 / kMostStretch to 2.
    void begin_sub_block(double pitch, double formants);
    /// In place, at most kSubBlock frames, never across a grain boundary.
    void process(const AudioBlock& block);

  private:
    struct Mark {
        std::int64_t at = 0;
        double exact = 0.0;  // between the frames; `at` is the nearest one
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
    std::vector<float> low_;     // what the finder listens to
    std::vector<float> window_;  // of the grain that is laid
    PitchDetector finder_;
    std::array<Mark, 128> marks_{};
    std::int64_t now_ = 0;     // frames taken in
    std::int64_t marked_ = 0;  // marks set; the last is marked_ - 1
    std::int64_t used_ = 0;    // the mark laid last
    double next_ = 0.0;        // where the next grain is laid, as the output counts
};

}  // namespace reed
