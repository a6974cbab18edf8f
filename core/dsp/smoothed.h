// A parameter that moves to its target without a click.
#pragma once

#include <cmath>

#include "base/audio_block.h"

namespace reed {

/// Two equal one-pole low-passes in a row, advanced once per grain and joined by straight lines sample
/// by sample: no step in value, and a start and end too soft to be heard as a click.
/// 63 % of a move takes about twice the time constant given to prepare().
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
    /// What is no finite number changes nothing.
    void set(double target) {
        if (std::isfinite(target)) target_ = target;
    }

    /// Moves one grain on. Call at each grain boundary.
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

    /// The value for the next sample.
    float next() {
        current_ += step_;
        return current_;
    }
    /// The value at the end of the current grain.
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
