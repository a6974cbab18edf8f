// Whether voice, microphone and room are still as they were at the soundcheck.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <optional>

#include "soundcheck/since_soundcheck.h"

namespace reed::ui {

class Session;

/// Compares the recent sound of a strip with its last soundcheck, every kEvery ms while somebody talks, in
/// the background. A change counts when it was found twice in a row, and ends in the same way.
class SoundcheckFollowUp final : public QObject {
    Q_OBJECT
  public:
    explicit SoundcheckFollowUp(Session& strip);

    /// The last soundcheck of the strip in the current scene, if it was made with the microphone in use.
    std::optional<SoundcheckRecord> record() const;
    /// What has changed noticeably; nothing if nothing has, or if it is not known.
    const std::optional<Finding>& finding() const { return finding_; }
    /// By how many dB voice and noise moved together, if that is what changed; else 0.
    double gainChange() const { return finding_ && finding_->id == "gain_changed" ? moved_ : 0.0; }

    static constexpr int kEvery = 12000;      ///< ms
    static constexpr double kSeconds = 20.0;  ///< of recent sound

  signals:
    void changed();

  private:
    void tick();
    void set(std::optional<Finding> finding);

    Session& strip_;
    QElapsedTimer since_;
    bool working_ = false;
    std::string candidate_;  // id of what was found last; empty: nothing
    double moved_ = 0.0;
    std::optional<Finding> finding_;
};

}  // namespace reed::ui
