// Loudness and true peak by ITU-R BS.1770 / EBU R 128, computed by libebur128; the true peak by
// fourfold oversampling as in Annex 2 of BS.1770, with the limiter's interpolator.
#pragma once

#include <memory>
#include <optional>

#include "base/audio_block.h"

namespace reed {

/// All values in LUFS, LU or dBTP; nothing while there is not enough sound or only silence.
struct LoudnessReading {
    std::optional<double> momentary;   ///< last 400 ms
    std::optional<double> short_term;  ///< last 3 s
    std::optional<double> integrated;  ///< since the start, gated
    std::optional<double> range;       ///< loudness range, EBU Tech 3342
    std::optional<double> true_peak;   ///< highest since the start
};

/// How the gated values are kept: every block (exact, grows with time) or a histogram in steps of 0.1 LU
/// (constant memory, for sound without end).
enum class LoudnessStorage { exact, bounded };

/// Feed sound in, read at any time. One thread at a time; not for the audio thread.
class LoudnessMeter {
  public:
    explicit LoudnessMeter(const StreamFormat& format, LoudnessStorage memory = LoudnessStorage::bounded);
    ~LoudnessMeter();
    LoudnessMeter(const LoudnessMeter&) = delete;
    LoudnessMeter& operator=(const LoudnessMeter&) = delete;

    void add(const AudioBlock& block);
    /// Starts the integrated values anew.
    void restart();
    LoudnessReading read() const;
    /// Momentary and short-term alone, which are cheap.
    LoudnessReading read_quick() const;
    /// Of the last `ms`, at most 3000.
    std::optional<double> newest(unsigned long ms) const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

/// Of a whole sound, every block of it kept.
LoudnessReading measure_loudness(AudioBuffer& sound, double sample_rate);

}  // namespace reed
