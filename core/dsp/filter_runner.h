// Runs the sections of a filter on sound, still or moving.
//
// Form: the trapezoidal state-variable filter (V. Zavalishin, "The Art of VA Filter Design", ch. 4), which
// stays stable and free of clicks while its coefficients move. Any second-order section can be written in
// it, so the matched designs of filter_design.h keep their exact response.
#pragma once

#include <array>

#include "base/audio_block.h"
#include "dsp/filter_design.h"

namespace reed {

/// Up to kMaxSections sections in a row, for up to kMaxChannels channels.
class FilterRunner {
  public:
    /// Takes the response at once; signal history is kept.
    void snap(const Sections& sections);

    /// Moves to `sections` within one grain: the coefficients go there in a straight line.
    /// The number of sections must be the same as before; otherwise it snaps.
    void glide(const Sections& sections);

    /// At a grain boundary without a glide: the coefficients stay where they are.
    void hold();

    void reset();

    /// In place, never across a grain boundary after glide().
    void process(const AudioBlock& block);

    /// One channel, one sample; for side-chains. Coefficients must be still.
    float next(int channel, float in);

  private:
    struct Coefficients {
        double a1 = 1.0, a2 = 0.0, a3 = 0.0, m0 = 1.0, m1 = 0.0, m2 = 0.0;
    };
    struct State {
        double s1 = 0.0, s2 = 0.0;
    };
    static Coefficients convert(const Biquad& f);
    void run_still(const AudioBlock& block);
    void run_moving(const AudioBlock& block);

    int count_ = 0;
    bool moving_ = false;
    std::array<Coefficients, kMaxSections> now_{};
    std::array<Coefficients, kMaxSections> goal_{};
    std::array<Coefficients, kMaxSections> step_{};
    std::array<std::array<State, kMaxChannels>, kMaxSections> state_{};
};

}  // namespace reed
