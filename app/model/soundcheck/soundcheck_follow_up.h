// Whether voice, microphone and room are still as they were at the soundcheck.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <optional>

#include "soundcheck/since_soundcheck.h"

namespace reed::ui {

class MixerModel;
class SceneManager;
class StripModel;
class TakesModel;

/// The last soundcheck of a strip in the current scene, if it was made with the microphone in use.
std::optional<SoundcheckRecord> lastSoundcheck(const MixerModel& mixer, const StripModel& strip);

/// Compares the recent sound of a strip with its last soundcheck, every kEvery ms during talk, in the
/// background. A change counts when it was found twice in a row, and ends in the same way.
class SoundcheckFollowUp final : public QObject {
    Q_OBJECT
  public:
    SoundcheckFollowUp(StripModel& strip, MixerModel& mixer, SceneManager& scenes, TakesModel& takes);

    /// See lastSoundcheck().
    std::optional<SoundcheckRecord> record() const;
    /// What has changed noticeably since record(); nothing if nothing has, or if it is not known.
    std::optional<Finding> finding() const;
    /// By how many dB voice and noise moved together, if that is what changed; else 0.
    double gainChange() const;
    /// Compensates gainChange() before the chain, as one undo step. The levels of now are those to compare
    /// with from then on; the recordings, made at the earlier level, are no longer part of the record.
    void compensateGain(const QString& label);

    static constexpr int kEvery = 12000;      ///< ms
    static constexpr double kSeconds = 20.0;  ///< of recent sound

  signals:
    void changed();

  private:
    /// What was found, and the record that it was compared with.
    struct Comparison {
        SoundcheckRecord record;
        SinceSoundcheck since;
        std::optional<Finding> finding;
    };
    void tick();
    void set(std::optional<Comparison> comparison);

    StripModel& strip_;
    MixerModel& mixer_;
    SceneManager& scenes_;
    TakesModel& takes_;
    QElapsedTimer since_;
    bool working_ = false;
    std::string candidate_;  // id of what was found last; empty: nothing
    std::optional<Comparison> comparison_;
};

}  // namespace reed::ui
