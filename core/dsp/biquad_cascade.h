// Runs the sections of a filter on sound, still or moving.
//
// Moving: the trapezoidal state-variable filter (V. Zavalishin, "The Art of VA Filter Design", ch. 4), which
// stays stable and free of clicks while its coefficients move. Still: the transposed direct form II, which is
// cheaper. Any second-order section can be written in both, and the state is carried over exactly: the two
// forms would ring out alike.
#pragma once

#include <array>

#include "base/audio_block.h"
#include "dsp/filter_design.h"

namespace reed {

/// Up to kMaxSections sections in a row, for up to kMaxChannels channels.
class BiquadCascade {
  public:
    /// Takes the response at once; the newest signal history is kept.
    void snap(const Sections& sections);

    /// Moves to `sections` within one grain: the coefficients go there in a straight line.
    /// The number of sections must be the same as before; otherwise it snaps.
    void glide(const Sections& sections);

    /// At a grain boundary without a glide: the coefficients stay where they are.
    void hold();

    void reset();

    /// In place, never across a grain boundary after glide().
    void process(const AudioBlock& block);

    /// One channel, one sample; for side-chains. Only while still.
    float next(int channel, float in);

    bool moving() const { return moving_; }

    /// Several still filters in a row in one pass over the sound: much faster than one after the other, as
    /// the processor works on neighbouring sections at the same time. The result is the same.
    static void process_still(BiquadCascade* const* runners, int count, const AudioBlock& block);

  private:
    struct Still {
        Biquad f;
        double s1[kMaxChannels] = {}, s2[kMaxChannels] = {};
    };
    struct Coefficients {
        double a1 = 1.0, a2 = 0.0, a3 = 0.0, m0 = 1.0, m1 = 0.0, m2 = 0.0;
    };
    struct State {
        double s1 = 0.0, s2 = 0.0;
    };
    static Coefficients convert(const Biquad& f);
    static void to_moving(const Still& still, const Coefficients& c, std::array<State, kMaxChannels>& state);
    static void to_still(const Coefficients& c, const std::array<State, kMaxChannels>& state, Still& still);
    static void run(Still* const* sections, int count, const AudioBlock& block);
    template <int N>
    static void run_group(Still* const* sections, const AudioBlock& block);
    template <int N, int C>
    static void run_rows(Still* const* sections, const AudioBlock& block, int first);
    void run_moving(const AudioBlock& block);

    int count_ = 0;
    bool moving_ = false;
    std::array<Still, kMaxSections> still_{};
    // While moving.
    std::array<Biquad, kMaxSections> goal_{};
    std::array<Coefficients, kMaxSections> now_{}, step_{};
    std::array<std::array<State, kMaxChannels>, kMaxSections> state_{};
};

}  // namespace reed
