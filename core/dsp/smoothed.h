// A smoothed parameter.
#pragma once

#include <cmath>

#include "base/audio_block.h"

namespace reed {

/// Two equal one-pole low-passes in series, advanced once per sub-block and interpolated linearly per sample,
/// so that a change makes no click. 63 % of a change takes about twice the time constant of prepare().
class Smoothed {
  public:
    /// `time_constant` in seconds per pole.
    void prepare(double sample_rate, double time_constant, double value) {
        coefficient_ = 1.0 - std::exp(-kSubBlock / (time_constant * sample_rate));
        snap(value);
    }
    void snap(double value) {
        target_ = first_ = second_ = value;
        current_ = static_cast<float>(value);
        step_ = 0.0f;
    }
    /// Values that are not finite are ignored.
    void set(double target) {
        if (std::isfinite(target)) target_ = target;
    }

    /// Advances by one sub-block. Call at each sub-block boundary.
    void begin_sub_block() {
        if (first_ == target_ && second_ == target_) {
            current_ = static_cast<float>(target_);
            step_ = 0.0f;
            return;
        }
        const double before = second_;
        first_ += coefficient_ * (target_ - first_);
        second_ += coefficient_ * (first_ - second_);
        const double close = 1e-6 * (1.0 + std::abs(target_));
        if (std::abs(first_ - target_) < close && std::abs(second_ - target_) < close) {
            first_ = second_ = target_;
        }
        current_ = static_cast<float>(before);
        step_ = static_cast<float>((second_ - before) / kSubBlock);
    }
    bool moving() const { return step_ != 0.0f; }

    /// Value for the next sample.
    float next() {
        current_ += step_;
        return current_;
    }
    /// Value at the end of the current sub-block.
    double sub_block_value() const { return second_; }
    double target() const { return target_; }

  private:
    double coefficient_ = 1.0;
    double target_ = 0.0;
    double first_ = 0.0;
    double second_ = 0.0;
    float current_ = 0.0f;
    float step_ = 0.0f;
};

}  // namespace reed
