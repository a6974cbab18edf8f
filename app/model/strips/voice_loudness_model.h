// How loud each of several voices is.
#pragma once

#include <QObject>
#include <memory>
#include <vector>

#include "base/ring_reader.h"
#include "measure/balance.h"

namespace reed::ui {

class MixerModel;
class StripModel;

/// Follows what every voice gives, after its fader, over the last minute; only while there are several.
class VoiceLoudnessModel final : public QObject {
    Q_OBJECT
  public:
    explicit VoiceLoudnessModel(MixerModel& mixer);

    struct Voice {
        StripModel* strip = nullptr;
        VoiceLoudness loudness;
    };
    /// Empty while there is one voice alone.
    const std::vector<Voice>& now() const { return now_; }

    /// Seconds of its own talk before a voice is judged.
    static constexpr double kEnough = 4.0;

  private:
    void tick();
    bool follow();

    struct Followed {
        StripModel* strip;
        RingReader sound;
        std::unique_ptr<LoudnessTrack> track;
    };
    MixerModel& mixer_;
    std::vector<Followed> followed_;
    std::vector<Voice> now_;
    int ticks_ = 0;
};

}  // namespace reed::ui
