// Compensates the loudness change of a process.
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

#include "dsp/biquad_cascade.h"
#include "dsp/k_weighting.h"
#include "dsp/smoothed.h"

namespace reed {

/// Measures K-weighted loudness before and after over three seconds, and applies a gain that restores the
/// input loudness, within allow(). Only prepare() allocates.
class LoudnessCompensator {
  public:
    /// `latency`: of the process in frames.
    void prepare(const StreamFormat& format, int latency) {
        for (auto& ear : ears_) ear.snap(k_weighting(format.sample_rate));
        forget_ = std::exp(-kSubBlock / (3.0 * format.sample_rate));
        gain_.prepare(format.sample_rate, 0.020, 1.0);
        waiting_.assign(static_cast<size_t>(std::max(latency, 0) / kSubBlock) + 1, 0.0);
        before_ = after_ = sum_before_ = sum_after_ = loudest_ = 0.0;
        at_ = 0;
    }
    /// Limits of the gain, as factors; 1 and 1: no compensation.
    double gain() const { return gain_.sub_block_value(); }
    /// `aim`: target output level relative to the input, as a factor.
    void allow(double least, double most, double aim = 1.0) {
        least_ = least;
        most_ = most;
        aim_ = aim;
    }
    /// Measures the output only while there is input, so that an echo or reverb tail in pauses does not lower
    /// the words.
    void leave_out_pauses() { words_only_ = true; }
    /// Clears the signal history and keeps the measured loudness.
    void reset() {
        for (auto& ear : ears_) ear.reset();
        std::fill(waiting_.begin(), waiting_.end(), 0.0);
        sum_before_ = sum_after_ = 0.0;
    }
    void begin_sub_block() {
        waiting_[at_] = sum_before_;
        if (++at_ == waiting_.size()) at_ = 0;
        loudest_ = std::max(waiting_[at_], loudest_ * forget_);
        if (!words_only_ || waiting_[at_] > kPause * loudest_) {
            before_ = forget_ * before_ + waiting_[at_];
            after_ = forget_ * after_ + sum_after_;
        }
        sum_before_ = sum_after_ = 0.0;
        const bool known = after_ > kSilence && before_ > kSilence;
        gain_.set(std::clamp(known ? aim_ * std::sqrt(before_ / after_) : 1.0, least_, most_));
        gain_.begin_sub_block();
    }
    /// Measures the input; blocks as in process().
    void hear(const AudioBlock& before) { weigh(ears_[0], before, sum_before_); }
    /// Measures the output and applies the gain in place. At most kSubBlock frames; the block must not cross
    /// a sub-block boundary.
    void process(const AudioBlock& after) {
        weigh(ears_[1], after, sum_after_);
        for (int i = 0; i < after.frames; ++i) {
            const float gain = gain_.next();
            for (int c = 0; c < after.channels; ++c) after[c][i] *= gain;
        }
    }

  private:
    static constexpr double kSilence = 1e-6;  // sum of squares
    static constexpr double kPause = 0.003;   // relative to the recent maximum: -25 dB
    /// Sums frame by frame, so that the result does not depend on the block size.
    static void weigh(BiquadCascade& ear, const AudioBlock& sound, double& sum) {
        float rows[kMaxChannels][kSubBlock] = {};
        const int channels = std::min(sound.channels, kMaxChannels);
        const AudioBlock copy{{rows[0], rows[1]}, channels, sound.frames};
        for (int c = 0; c < channels; ++c) {
            for (int i = 0; i < sound.frames; ++i) rows[c][i] = sound[c][i];
        }
        ear.process(copy);
        for (int i = 0; i < sound.frames; ++i) {
            for (int c = 0; c < channels; ++c) sum += static_cast<double>(rows[c][i] * rows[c][i]);
        }
    }

    BiquadCascade ears_[2];
    double forget_ = 0.0, before_ = 0.0, after_ = 0.0, sum_before_ = 0.0, sum_after_ = 0.0;
    double least_ = 0.0, most_ = 1.0, aim_ = 1.0, loudest_ = 0.0;
    bool words_only_ = false;
    std::vector<double> waiting_;  // of sub-blocks that are still delayed by the process
    size_t at_ = 0;
    Smoothed gain_;
};

}  // namespace reed
