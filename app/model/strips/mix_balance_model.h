// How loud voices and programme are against each other over the last minute.
#pragma once

#include <QObject>
#include <memory>
#include <vector>

#include "base/ring_reader.h"
#include "measure/balance.h"
#include "mixer/live_mixer.h"

namespace reed::ui {

class MixerModel;

/// Follows the sum of the voices and of all programmes, after their faders, while there is a programme.
class MixBalanceModel final : public QObject {
    Q_OBJECT
  public:
    MixBalanceModel(MixerModel& mixer, LiveMixer& live);

    static constexpr double kSeconds = 60.0;
    /// There is a programme to hold the voices against.
    bool has() const { return !programmes_.empty(); }
    /// Null while there is none.
    const LoudnessTrack* voices() const { return voice_track_.get(); }
    const LoudnessTrack* programme() const { return programme_track_.get(); }
    const Balance& now() const { return now_; }
    /// Held against the wanted distance.
    Finding finding() const;
    /// By how many dB the programme should move to come to the wanted distance; 0: it is right.
    double wantedMove() const;
    /// Moves the faders of all programmes by so many dB.
    void offsetAppAudio(double db);
    /// Lets the first programme give way by that much more while somebody speaks, by its ducking or a new
    /// one.
    void increaseDucking(double db);

  signals:
    /// Ten times a second at most, while there is a programme.
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
    int ticks_ = 0;
};

}  // namespace reed::ui
