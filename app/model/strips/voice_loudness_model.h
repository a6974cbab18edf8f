// Loudness of each voice while there are several.
#pragma once

#include <QObject>
#include <memory>
#include <vector>

#include "base/ring_reader.h"
#include "measure/balance.h"

namespace reed::ui {

class MixerModel;
class StripModel;

/// Measures each voice after its fader, over the last minute, but not from before the last change of a chain
/// or fader. GUI thread only.
class VoiceLoudnessModel final : public QObject {
    Q_OBJECT
  public:
    explicit VoiceLoudnessModel(MixerModel& mixer);

    struct Voice {
        StripModel* strip = nullptr;
        VoiceLoudness loudness;
    };
    /// Empty while there is only one voice.
    const std::vector<Voice>& now() const { return now_; }

    /// Seconds of speech before the loudness of a voice counts.
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
    std::int64_t changes_ = 0, from_ = 0;  // StripModel::soundChanges() of all; the first point since then
    int ticks_ = 0;
};

}  // namespace reed::ui
