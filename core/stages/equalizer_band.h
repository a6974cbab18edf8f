// One band of the equalizer while it runs.
#pragma once

#include <algorithm>
#include <cmath>

#include "dsp/biquad_cascade.h"
#include "dsp/smoothed.h"

namespace reed {

/// One band that can be moved, switched and given another shape while it sounds.
class EqualizerBandProcessor {
  public:
    void prepare(double rate, const BandSettings& b, bool on) {
        rate_ = rate;
        frequency_.prepare(rate, 0.006, std::log(b.frequency));
        gain_.prepare(rate, 0.006, b.gain_db);
        q_.prepare(rate, 0.006, std::log(b.q));
        wet_.prepare(rate, 0.003, on ? 1.0 : 0.0);
        shape_ = wanted_ = parked_ = b;
        on_ = on;
        runner_.snap(design(shape_, rate_));
        runner_.reset();
    }
    void set(const BandSettings& b, bool on) {
        rests_ = false;
        wanted_ = b;
        on_ = on;
        frequency_.set(std::log(b.frequency));
        gain_.set(b.gain_db);
        q_.set(std::log(b.q));
    }
    void begin_sub_block() {
        if (rests_) return;  // nothing has changed since all was where it should be
        heard_ = 0.0;
        if (!on_ && !active_ && wet_.target() == 0.0 && wanted_ == parked_) return;  // off and left alone
        const bool same_shape = wanted_.type == shape_.type && wanted_.slope == shape_.slope;
        // Another shape fades out, changes, and fades in again.
        wet_.set(on_ && same_shape ? 1.0 : 0.0);
        wet_.begin_sub_block();
        const bool silent = !wet_.moving() && wet_.sub_block_value() == 0.0;
        // What rang when it was left rings no more.
        if (!silent && !active_) runner_.reset();
        if (silent && !same_shape) {
            shape_ = wanted_;
            runner_.reset();
            snap_parameters();
        } else if (silent) {
            // A disabled band follows at once, and costs nothing while it does not move.
            if (!(wanted_ == parked_)) snap_parameters();
        } else {
            move_parameters();
        }
        heard_ = wet_.sub_block_value();
        active_ = !silent && !neutral();
        rests_ = !silent && same_shape && !wet_.moving() && !runner_.moving() && !frequency_.moving() &&
                 !gain_.moving() && !q_.moving();
    }
    void process(const AudioBlock& block) {
        if (!wet_.moving() && wet_.sub_block_value() == 1.0) {
            runner_.process(block);
            return;
        }
        float dry[kMaxChannels][kSubBlock];
        for (int c = 0; c < std::min(block.channels, kMaxChannels); ++c) {
            std::copy_n(block[c], block.frames, dry[c]);
        }
        runner_.process(block);
        for (int i = 0; i < block.frames; ++i) {
            const float wet = wet_.next();
            for (int c = 0; c < block.channels; ++c) {
                block[c][i] = dry[c][i] + wet * (block[c][i] - dry[c][i]);
            }
        }
    }
    void reset() { runner_.reset(); }

    bool active() const { return active_; }
    /// Fully heard and not moving: may be run together with its neighbours.
    bool still() const { return !runner_.moving() && !wet_.moving() && wet_.sub_block_value() == 1.0; }
    BiquadCascade& runner() { return runner_; }
    /// As it is in this grain, and how much of it is heard at its end, 0 to 1.
    const BandSettings& shape() const { return shape_; }
    double heard() const { return heard_; }

  private:
    /// A bell, shelf or tilt of 0 dB does nothing, so it costs nothing.
    bool neutral() const {
        const bool has_gain = shape_.type == FilterType::bell || shape_.type == FilterType::low_shelf ||
                              shape_.type == FilterType::high_shelf || shape_.type == FilterType::tilt;
        return has_gain && !gain_.moving() && gain_.sub_block_value() == 0.0;
    }
    void snap_parameters() {
        frequency_.snap(frequency_.target());
        gain_.snap(gain_.target());
        q_.snap(q_.target());
        take_parameters();
        runner_.snap(design(shape_, rate_));
        runner_.reset();
        settling_ = 0;
        parked_ = wanted_;
    }
    void move_parameters() {
        frequency_.begin_sub_block();
        gain_.begin_sub_block();
        q_.begin_sub_block();
        if (frequency_.moving() || gain_.moving() || q_.moving()) {
            take_parameters();
            left_ = design(shape_, rate_, Precision::rough);
            runner_.glide(left_);
            settling_ = kSettling;
        } else if (settling_ > 0) {
            settle();
        } else {
            runner_.hold();
        }
    }
    /// From the rough design, which moves, to the exact one, which stays. What lies between two stable
    /// sections is stable: the coefficients of stable poles form a triangle.
    void settle() {
        if (settling_ == kSettling) goal_ = design(shape_, rate_);
        --settling_;
        if (settling_ == 0 || goal_.count != left_.count) {
            runner_.glide(goal_);
            settling_ = 0;
            return;
        }
        const double share = 1.0 / (settling_ + 1);
        for (size_t i = 0; i < static_cast<size_t>(left_.count); ++i) {
            Biquad& f = left_.biquads[i];
            const Biquad& to = goal_.biquads[i];
            f.b0 += share * (to.b0 - f.b0);
            f.b1 += share * (to.b1 - f.b1);
            f.b2 += share * (to.b2 - f.b2);
            f.a1 += share * (to.a1 - f.a1);
            f.a2 += share * (to.a2 - f.a2);
        }
        runner_.glide(left_);
    }
    void take_parameters() {
        shape_.frequency = std::exp(frequency_.sub_block_value());
        shape_.gain_db = gain_.sub_block_value();
        shape_.q = std::exp(q_.sub_block_value());
    }

    static constexpr int kSettling = 16;  // grains
    int settling_ = 0;
    Sections left_, goal_;
    double rate_ = 48000.0;
    BandSettings shape_, wanted_, parked_;
    bool on_ = false, active_ = true, rests_ = false;
    double heard_ = 0.0;
    Smoothed frequency_, gain_, q_, wet_;
    BiquadCascade runner_;
};

}  // namespace reed
