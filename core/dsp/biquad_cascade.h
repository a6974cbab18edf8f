// Processes audio with a cascade of second-order sections, with constant or changing coefficients.
//
// Changing coefficients: trapezoidal state-variable filter (V. Zavalishin, "The Art of VA Filter Design", ch.
// 4), which is stable and free of clicks then. Constant coefficients: transposed direct form II, which is
// cheaper. Every second-order section can be written in both forms, and the state is converted exactly.
#pragma once

#include <array>

#include "base/audio_block.h"
#include "dsp/filter_design.h"

namespace reed {

/// Up to kMaxSections sections in series, for up to kMaxChannels channels.
class BiquadCascade {
  public:
    /// Sets the response at once; the signal history is preserved.
    void snap(const Sections& sections);

    /// Moves to `sections` within one sub-block, with linear interpolation of the coefficients. Sets them at
    /// once if the number of sections differs.
    void glide(const Sections& sections);

    /// Keeps the coefficients constant from this sub-block boundary on.
    void hold();

    void reset();

    /// In place. After glide() the block must not cross a sub-block boundary.
    void process(const AudioBlock& block);

    /// Processes one sample of one channel, for sidechains. Precondition: constant coefficients.
    float next(int channel, float in);

    bool moving() const { return moving_; }

    /// Processes several filters with constant coefficients in series in one pass, which is much faster than
    /// one after the other because neighbouring sections run in parallel. Same result.
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
    // While coefficients change.
    std::array<Biquad, kMaxSections> goal_{};
    std::array<Coefficients, kMaxSections> now_{}, step_{};
    std::array<std::array<State, kMaxChannels>, kMaxSections> state_{};
};

}  // namespace reed
