// Loudness balance of voices and app audio over the last minute.
#pragma once

#include <QObject>
#include <memory>
#include <vector>

#include "base/ring_reader.h"
#include "measure/balance.h"
#include "mixer/live_mixer.h"

namespace reed::ui {

class MixerModel;

/// Measures the sum of all voices and the sum of all app audio strips, after their faders, while there is an
/// app audio strip. What was measured before the last change of a chain or fader is shown, but not judged.
/// GUI thread only.
class MixBalanceModel final : public QObject {
    Q_OBJECT
  public:
    MixBalanceModel(MixerModel& mixer, LiveMixer& live);

    static constexpr double kSeconds = 60.0;
    /// Seconds of speech before the balance counts.
    static constexpr double kEnough = 2.0;
    /// Whether there is app audio to compare with.
    bool has() const { return !programmes_.empty(); }
    /// Loudness over time; nullptr while there is no app audio.
    const LoudnessTrack* voices() const { return voice_track_.get(); }
    const LoudnessTrack* programme() const { return programme_track_.get(); }
    const Balance& now() const { return now_; }
    /// Compares the balance with the target distance.
    Finding finding() const;
    /// Change of app audio in dB that reaches the target distance; 0 if it is reached.
    double wantedMove() const;
    /// Changes the faders of all app audio strips by so many dB, as one undo step each.
    void offsetAppAudio(double db);
    /// Increases the ducking of the first app audio strip by so many dB, at most to 12 dB. Adds a ducking
    /// stage if there is none.
    void increaseDucking(double db);

  signals:
    /// At most ten times a second, while there is app audio.
    void changed();

  private:
    void tick();
    bool follow();

    MixerModel& mixer_;
    LiveMixer& live_;
    RingReader voices_;
    std::vector<RingReader> programmes_;
    std::unique_ptr<LoudnessTrack> voice_track_, programme_track_;
    AudioBuffer sum_;
    Balance now_;
    std::int64_t changes_ = 0, from_ = 0;  // StripModel::soundChanges() of all; the first point since then
    int ticks_ = 0;
};

}  // namespace reed::ui
