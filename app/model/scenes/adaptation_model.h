// Adaptation of the current scene to the voice and room of this user.
#pragma once

#include <QObject>
#include <atomic>
#include <map>
#include <memory>
#include <optional>

#include "model/shared/background.h"
#include "scenes/adaptation.h"

namespace reed::ui {

class MixerModel;
class SceneManager;
class StripModel;

/// Recent unprocessed input of a strip.
struct RecentInput {
    AudioBuffer sound;
    double rate = 0.0;  ///< Hz; 0: no input

    static constexpr double kLeast = 5.0;  ///< s; shorter input can't be measured
    /// Whether it is long enough to be measured.
    bool enough() const { return rate > 0.0 && static_cast<double>(sound.frames()) >= kLeast * rate; }
    /// Message for the user if it is too short.
    static QString tooLittle();
};
/// At most the last `seconds` of the current input.
RecentInput recentInput(StripModel& strip, double seconds);

/// Measures the reference levels of a scene when it is saved, and stores them in it. Compares the current
/// levels of the selected voice with them, and computes what to change. GUI thread only; the work runs in the
/// background.
class AdaptationModel final : public QObject {
    Q_OBJECT
  public:
    AdaptationModel(MixerModel& mixer, SceneManager& scenes);
    ~AdaptationModel() override;

    /// Whether the levels of the selected voice differ too much from the reference levels.
    bool off() const { return off_; }
    /// Reference levels of the scene for the selected strip, if it has some.
    std::optional<ReferenceLevels> madeFor() const;

    /// Computes the changes for the selected voice; found() or failed() follows.
    void look();
    void cancel();
    /// Whether look() is running.
    bool looking() const { return looking_ != nullptr; }
    /// The changes that look() has found.
    const std::optional<Fit>& fit() const { return fit_; }
    /// Id of the strip that fit() is for.
    const std::string& strip() const { return strip_; }
    /// Applies all changes of fit(), or one of them, as one undo step. When all are applied, fit() is
    /// cleared.
    void apply(std::optional<size_t> only = std::nullopt);
    /// Makes the current levels the reference levels, without changing settings; in the saved scene too if it
    /// has the same settings.
    void acceptCurrentLevels();

    static constexpr double kSeconds = 30.0;  ///< of recent input that is measured

  signals:
    /// off() changed.
    void offChanged();
    /// fit() changed.
    void found();
    void progressed(int percent);
    void failed(const QString& why);

  private:
    void tick();
    void noteSaved();
    void note(StripModel& strip);

    MixerModel& mixer_;
    SceneManager& scenes_;
    Background background_;
    bool off_ = false;
    int ticks_ = 0, looks_off_ = 0;
    std::shared_ptr<std::atomic<bool>> looking_;  // set to cancel the running job
    std::optional<Fit> fit_;
    std::string strip_;
};

}  // namespace reed::ui
