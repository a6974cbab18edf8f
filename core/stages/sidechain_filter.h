// The detector filter of a gate, expander or compressor: limits the detector to the range of the voice, so
// that knocks on the desk and keys do not affect it. The audio itself is not filtered.
#pragma once

#include "dsp/biquad_cascade.h"
#include "stages/stage.h"

namespace reed {

/// Table rows; at the ends of their ranges the filters are off.
constexpr Parameter detector_low_cut() {
    return parameter::number("detector_low_cut", "Detect above", Unit::hertz, 20.0, 1000.0, 20.0,
                             Scale::logarithmic,
                             "Raise it until knocks and rumble no longer trigger the stage.");
}
constexpr Parameter detector_high_cut() {
    return parameter::number("detector_high_cut", "Detect below", Unit::hertz, 1000.0, 20000.0, 20000.0,
                             Scale::logarithmic,
                             "Lower it until key clicks and hiss no longer trigger the stage.");
}

/// Second-order Butterworth low and high cut on a copy of the sound.
class SidechainFilter {
  public:
    /// Cut frequencies in Hz; 20 and 20000 switch the low and the high cut off.
    void prepare(const StreamFormat& format, double low_cut, double high_cut) {
        rate_ = format.sample_rate;
        set(low_cut, high_cut);
        reset();
    }
    void set(double low_cut, double high_cut) {
        if (low_cut == low_cut_ && high_cut == high_cut_) return;
        low_cut_ = low_cut;
        high_cut_ = high_cut;
        changed_ = true;
    }
    void begin_sub_block() {
        low_.hold();
        high_.hold();
        if (!changed_) return;
        changed_ = false;
        move(low_, {FilterType::low_cut, low_cut_, 0.0, 0.70710678, 12}, low_cut_ > 20.0, low_was_on_);
        move(high_, {FilterType::high_cut, high_cut_, 0.0, 0.70710678, 12}, high_cut_ < 20000.0,
             high_was_on_);
    }
    void reset() {
        if (changed_) begin_sub_block();
        low_.reset();
        high_.reset();
    }
    /// The filtered copy; valid until the next call. With both cuts off, the sound itself.
    AudioBlock listen(const AudioBlock& block) {
        const bool low_on = low_cut_ > 20.0;
        const bool high_on = high_cut_ < 20000.0;
        if (!low_on && !high_on) return block;
        AudioBlock copy = block;
        for (int c = 0; c < block.channels; ++c) {
            copy.rows[static_cast<size_t>(c)] = scratch_[c];
            std::copy_n(block[c], block.frames, scratch_[c]);
        }
        if (low_on) low_.process(copy);
        if (high_on) high_.process(copy);
        return copy;
    }

  private:
    /// One that was off starts without what rang in it before; one that is on glides.
    void move(BiquadCascade& filter, const BandSettings& to, bool on, bool& was_on) const {
        if (on && was_on) {
            filter.glide(design(to, rate_));
        } else {
            filter.snap(design(to, rate_));
            filter.reset();
        }
        was_on = on;
    }

    bool low_was_on_ = false, high_was_on_ = false;
    double rate_ = 48000.0;
    double low_cut_ = 0.0, high_cut_ = 0.0;
    bool changed_ = false;
    BiquadCascade low_, high_;
    float scratch_[kMaxChannels][kSubBlock] = {};
};

}  // namespace reed
