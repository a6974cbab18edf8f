// Loudness and true peak by ITU-R BS.1770 / EBU R 128, computed by libebur128; the true peak by
// fourfold oversampling as in Annex 2 of BS.1770, with the limiter's interpolator.
#pragma once

#include <memory>
#include <optional>

#include "base/audio_block.h"

namespace reed {

/// All values in LUFS, LU or dBTP; empty without enough audio, or for silence.
struct LoudnessReading {
    std::optional<double> momentary;   ///< last 400 ms
    std::optional<double> short_term;  ///< last 3 s
    std::optional<double> integrated;  ///< since the start, gated
    std::optional<double> range;       ///< loudness range, EBU Tech 3342
    std::optional<double> true_peak;   ///< highest since the start
};

/// Storage of the gated values: every block (exact, grows with time), or a histogram in steps of 0.1 LU
/// (constant memory, for endless audio).
enum class LoudnessStorage { exact, bounded };

/// Add audio, read at any time. Not thread-safe; not on the audio thread.
class LoudnessMeter {
  public:
    explicit LoudnessMeter(const StreamFormat& format, LoudnessStorage memory = LoudnessStorage::bounded);
    ~LoudnessMeter();
    LoudnessMeter(const LoudnessMeter&) = delete;
    LoudnessMeter& operator=(const LoudnessMeter&) = delete;

    void add(const AudioBlock& block);
    /// Restarts the integrated values.
    void restart();
    LoudnessReading read() const;
    /// Momentary and short-term loudness only, which are cheap.
    LoudnessReading read_quick() const;
    /// Loudness of the last `ms`, at most 3000.
    std::optional<double> newest(unsigned long ms) const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

/// Loudness of a whole signal, with exact storage.
LoudnessReading measure_loudness(AudioBuffer& sound, double sample_rate);

}  // namespace reed
