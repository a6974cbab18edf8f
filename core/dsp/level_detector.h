// Level detectors of dynamics stages.
#pragma once

#include <algorithm>
#include <cmath>

#include "base/audio_block.h"
#include "base/fast_math.h"

namespace reed {

/// dBFS (AES17) of a mean square: 10 log10(2 p); 5e-16 counts as silence.
inline float level_of_power(float power) {
    return 0.5f * kDbPerLog2 * fast_log2(2.0f * std::max(power, 5e-16f));
}

/// Mean-square level (one-pole), read once per sub-block.
class GrainLevel {
  public:
    /// `seconds`: time constant (63 % of a step in power).
    void set(double sample_rate, double seconds) {
        forget_ = 1.0 - std::exp(-kSubBlock / (seconds * sample_rate));
    }
    void reset() { mean_ = 0.0; }
    /// Level in dBFS, at least -150. `sum`: of the squares of the past sub-block, of the louder channel.
    float next(float sum) {
        mean_ += forget_ * (static_cast<double>(sum) / kSubBlock - mean_);
        return level_of_power(static_cast<float>(mean_));
    }

  private:
    double mean_ = 0.0, forget_ = 1.0;
};

/// Level of a block in dBFS (AES17), linked over channels: the louder channel counts.
/// Peak follows |x| sample by sample; RMS is a one-pole mean of the square with a time constant.
class LevelDetector {
  public:
    enum class Mode { peak, rms };

    /// RMS time constant in seconds (63 % of a step in power).
    void prepare(double sample_rate, double rms_seconds) {
        rate_ = sample_rate;
        set(rms_seconds);
    }
    /// Sets the time constant from the next sample on.
    void set(double rms_seconds) { coefficient_ = 1.0 - std::exp(-1.0 / (rms_seconds * rate_)); }
    void reset() { mean_[0] = mean_[1] = 0.0; }

    /// `side`: input of the detector. Writes one level per frame in dBFS, at least -150.
    void process(const AudioBlock& side, Mode mode, float* level_db) {
        float power[kSubBlock] = {};
        float own[kSubBlock];
        for (int c = 0; c < side.channels; ++c) {
            const float* x = side[c];
            if (mode == Mode::peak) {
                // Half of the squared peak is the mean square of the sine with that peak.
                for (int i = 0; i < side.frames; ++i) own[i] = 0.5f * x[i] * x[i];
            } else {
                double square[kSubBlock];
                for (int i = 0; i < side.frames; ++i) square[i] = coefficient_ * x[i] * x[i];
                const double keep = 1.0 - coefficient_;
                double m = mean_[c];
                for (int i = 0; i < side.frames; ++i) {
                    m = keep * m + square[i];
                    own[i] = static_cast<float>(m);
                }
                mean_[c] = m;
            }
            for (int i = 0; i < side.frames; ++i) power[i] = std::max(power[i], own[i]);
        }
        for (int i = 0; i < side.frames; ++i) level_db[i] = level_of_power(power[i]);
    }

  private:
    double rate_ = 48000.0;
    double coefficient_ = 1.0;
    double mean_[kMaxChannels] = {0.0, 0.0};
};

}  // namespace reed
