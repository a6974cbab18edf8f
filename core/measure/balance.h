// Loudness of voices and app audio relative to each other.
#pragma once

#include <deque>
#include <optional>
#include <span>
#include <vector>

#include "measure/loudness.h"
#include "stages/finding.h"

namespace reed {

/// Loudness at a time step of 100 ms, as BS.1770 and EBU Tech 3341 move their windows.
struct LoudnessPoint {
    std::optional<double> momentary;   ///< LUFS over the last 400 ms
    std::optional<double> short_term;  ///< LUFS over the last 3 s
    std::optional<double> step;        ///< LUFS over the last 100 ms
};

/// Loudness over time. Not thread-safe; not on the audio thread.
class LoudnessTrack {
  public:
    static constexpr double kStep = 0.1;       ///< seconds
    static constexpr int kMomentarySteps = 4;  ///< of kStep in a momentary window
    /// Stores the newest `seconds`; 0: all.
    explicit LoudnessTrack(const StreamFormat& format, double seconds = 0.0);

    void add(const AudioBlock& block);
    const std::deque<LoudnessPoint>& points() const { return points_; }
    /// Number of points that were dropped.
    std::int64_t dropped() const { return dropped_; }
    /// Index of the first point, counted from the start, that has heard nothing of what was added so far.
    std::int64_t next_independent() const { return step_ + kMomentarySteps; }

  private:
    StreamFormat format_;
    LoudnessMeter meter_;
    size_t most_;
    std::int64_t frames_ = 0, step_ = 0, dropped_ = 0;
    std::deque<LoudnessPoint> points_;
};

/// Values in LUFS and LU; empty for silence.
struct Balance {
    std::optional<double> voice;      ///< during speech
    std::optional<double> programme;  ///< of app audio, with the same gating
    std::optional<double> beneath;    ///< of app audio during speech
    std::optional<double> distance;   ///< voice - beneath
    double speech_seconds = 0.0;      ///< seconds of speech
};

/// Both tracks start at the same time; a longer rest is ignored. `voice` and `programme` are integrated
/// loudness with both gates of ITU-R BS.1770-4. Speech is each 100 ms above the relative gate of the voice
/// (10 LU below the mean above -70 LUFS). Means are energy means. Only points from index `from` on count, as
/// LoudnessTrack::next_independent() gives it.
Balance balance_of(const LoudnessTrack& voice, const LoudnessTrack& programme, std::int64_t from = 0);

/// Loudness of one of several voices.
struct VoiceLoudness {
    std::optional<double> lufs;
    double seconds = 0.0;  ///< measured seconds
};
/// Loudness of each voice in LUFS, measured while it is above its own gate and the loudest of all, so that
/// crosstalk of other voices does not count. All tracks start at the same time; only points from index `from`
/// on count.
std::vector<VoiceLoudness> per_voice_loudness(std::span<const LoudnessTrack* const> voices,
                                              std::int64_t from = 0);

/// Compares with the target distance during speech (`least` to `most` LU). The third quantity is the proposed
/// change of app audio in dB.
Finding balance_finding(const Balance& now, double least, double most);

}  // namespace reed
