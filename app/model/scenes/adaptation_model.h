// Whether the scene in work fits the voice and room that are here, and what makes it fit.
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

/// What a strip's microphone has given last.
struct RecentInput {
    AudioBuffer sound;
    double rate = 0.0;  ///< Hz; 0: nothing

    static constexpr double kLeast = 5.0;  ///< s, less says nothing about a voice
    bool enough() const { return rate > 0.0 && static_cast<double>(sound.frames()) >= kLeast * rate; }
    /// Why there is not enough, and what to do.
    static QString tooLittle();
};
RecentInput recentInput(StripModel& strip, double seconds);

/// Looks after what scenes are made for: when one is saved, what was said last is measured in the background
/// and noted in it; when one is in work that was made for other levels, it says so, and works out what to
/// change.
class AdaptationModel final : public QObject {
    Q_OBJECT
  public:
    AdaptationModel(MixerModel& mixer, SceneManager& scenes);
    ~AdaptationModel() override;

    /// The voice that is worked on comes at levels that the scene was not made for.
    bool off() const { return off_; }
    /// What it was made for, where that is known.
    std::optional<ReferenceLevels> madeFor() const;

    /// Works out, for the voice that is worked on, what to change; found() or failed() tells when it is done.
    void look();
    void cancel();
    bool looking() const { return looking_ != nullptr; }
    const std::optional<Fit>& fit() const { return fit_; }
    /// Id of the strip that it is for.
    const std::string& strip() const { return strip_; }
    /// Makes all changes of fit(), or one of them, as one step of undo. With all made the offer is over.
    void apply(std::optional<size_t> only = std::nullopt);
    /// The levels that are here are those to go by from now on, with the settings as they are; in the saved
    /// scene too, where it has these settings.
    void acceptCurrentLevels();

    static constexpr double kSeconds = 30.0;  ///< of what was said last, that it goes by

  signals:
    void offChanged();
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
    std::shared_ptr<std::atomic<bool>> looking_;  // true: it is to end
    std::optional<Fit> fit_;
    std::string strip_;
};

}  // namespace reed::ui
