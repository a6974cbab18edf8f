// How loud voices and programme are against each other.
#pragma once

#include <deque>
#include <optional>
#include <span>
#include <vector>

#include "measure/loudness.h"
#include "stages/finding.h"

namespace reed {

/// Loudness every 100 ms, the step in which BS.1770 and EBU Tech 3341 move their windows.
struct LoudnessPoint {
    std::optional<double> momentary;   ///< LUFS, of the 400 ms that end here
    std::optional<double> short_term;  ///< of the 3 s that end here
    std::optional<double> step;        ///< of the 100 ms that end here
};

/// Loudness along time. One thread at a time; not for the audio thread.
class LoudnessTrack {
  public:
    static constexpr double kStep = 0.1;  ///< seconds
    /// Keeps the newest `seconds`; 0: all.
    explicit LoudnessTrack(const StreamFormat& format, double seconds = 0.0);

    void add(const AudioBlock& block);
    const std::deque<LoudnessPoint>& points() const { return points_; }
    /// Points that were dropped at the front.
    std::int64_t dropped() const { return dropped_; }

  private:
    StreamFormat format_;
    LoudnessMeter meter_;
    size_t most_;
    std::int64_t frames_ = 0, step_ = 0, dropped_ = 0;
    std::deque<LoudnessPoint> points_;
};

/// Values in LUFS and LU; nothing where there was only silence.
struct Balance {
    std::optional<double> voice;      ///< of the moments in which somebody spoke
    std::optional<double> programme;  ///< of all that was there, gated alike
    std::optional<double> beneath;    ///< of the programme in the moments in which somebody spoke
    std::optional<double> distance;   ///< voice - beneath
    double speech_seconds = 0.0;      ///< of those moments
};

/// Both tracks begin at the same moment; what one has more is left out. `voice` and `programme` are
/// integrated loudness by the two gates of ITU-R BS.1770-4. Somebody speaks in every tenth of a second that
/// is above the voice's gate (10 LU below the mean of what is above -70 LUFS). Means are of energy.
Balance balance_of(const LoudnessTrack& voice, const LoudnessTrack& programme);

/// How loud one of several voices is.
struct VoiceLoudness {
    std::optional<double> lufs;
    double seconds = 0.0;  ///< of the moments it was measured in
};
/// Loudness of each voice, in LUFS, in the tenths of a second in which it is above its own gate and the
/// loudest of all: another voice that its microphone hears as well says nothing about it. All tracks begin at
/// the same moment.
std::vector<VoiceLoudness> per_voice_loudness(std::span<const LoudnessTrack* const> voices);

/// What that says, held against the distance that is wanted while somebody speaks (`least` to `most` LU, a
/// choice). The third quantity is by how many dB the programme should move, negative: down.
Finding balance_finding(const Balance& now, double least, double most);

}  // namespace reed
