// Measurements of an audio file by the command line.
#pragma once

#include <optional>

#include "base/audio_block.h"
#include "base/result.h"
#include "measure/level_statistics.h"

namespace reed {

/// Levels in dBFS (AES17: a full-scale sine is 0 dBFS by peak and by RMS); empty for digital silence
/// or too little audio.
struct SoundMeasures {
    double duration_s = 0.0;
    double sample_rate_hz = 0.0;
    int channels = 0;
    std::optional<double> sample_peak_dbfs;
    std::optional<double> true_peak_dbtp;     ///< ITU-R BS.1770 Annex 2
    std::optional<double> integrated_lufs;    ///< EBU R 128
    std::optional<double> loudness_range_lu;  ///< EBU Tech 3342
    std::optional<double> noise_floor_dbfs;   ///< median level of the pauses, or of all audio without pauses
    std::int64_t clipped_samples = 0;         ///< samples in runs of three or more at full scale
};

/// Counts clipped samples: runs of at least three within 1/32768 of full scale, so that a single peak at full
/// scale does not count.
class ClipCounter {
  public:
    /// Returns the number of clipped samples in this row. Runs continue across blocks.
    std::int64_t add(const float* x, int frames) noexcept;
    void reset() { run_ = 0; }

  private:
    int run_ = 0;
};

/// Add blocks, then read the measurements.
class FileMeasure {
  public:
    explicit FileMeasure(const StreamFormat& format);
    ~FileMeasure();
    FileMeasure(const FileMeasure&) = delete;
    FileMeasure& operator=(const FileMeasure&) = delete;
    void add(const AudioBlock& block);
    SoundMeasures result() const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
