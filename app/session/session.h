// The model behind the window: what it is made of, and the time it keeps.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <filesystem>
#include <map>
#include <memory>

#include "engine/readings.h"
#include "session/chain_model.h"
#include "session/devices.h"
#include "session/preferences.h"
#include "session/scene_shelf.h"
#include "session/stage_spectrum.h"
#include "session/start_guard.h"
#include "session/state_keeper.h"

class QLockFile;

namespace reed::ui {

/// Where things are kept.
struct SessionPaths {
    std::filesystem::path scenes;     ///< folder of the person's scenes
    std::filesystem::path state;      ///< file of the working state
    std::filesystem::path demo_data;  ///< sounds and scenes that come with the program

    /// By the XDG base directory rules; demo data beside the program, in ../share, built or installed.
    static SessionPaths standard();
};

class Microphones;
class Monitoring;
class RoomLearning;

/// Holds the parts together: what is told, the chain, the scenes, the devices, the preferences, and the
/// readings of what sounds. Keeps the working state.
class Session final : public QObject {
    Q_OBJECT
  public:
    explicit Session(SessionPaths paths, QObject* parent = nullptr);
    ~Session() override;

    /// Reads scenes and the last session, and opens the input. Problems are told; it always starts.
    void begin();

    Notices& notices() { return notices_; }
    ChainModel& strip() { return strip_; }
    const ChainModel& strip() const { return strip_; }
    SceneShelf& shelf() { return shelf_; }
    const SceneShelf& shelf() const { return shelf_; }
    Devices& devices() { return devices_; }
    Preferences& preferences() { return preferences_; }

    Engine& engine() { return engine_; }
    Readings& readings() { return readings_; }
    LevelReport const& levels() const { return readings_.levels(); }
    /// Levels fit the chain as it is now (they lag behind a change of structure for a moment).
    bool levelsFit() const { return readings_.fits(strip_.chain().stages.size()); }
    /// Why a stage does not do its work; empty while it does. At most a second old.
    QString troubleOf(const std::string& stage) const;
    /// Spectra around the focused stage.
    StageSpectrum& spectrum() { return spectrum_; }
    Microphones& microphones() { return *microphones_; }
    Monitoring& monitoring() { return *monitoring_; }
    RoomLearning& learning() { return *learning_; }
    Background& background() { return *background_; }

    bool muted() const { return engine_.muted(); }
    void setMuted(bool muted);
    /// The talk key goes down or up.
    void talk(bool held);

    /// Whether anybody can see the window now: unseen, nothing is drawn or summed up for it.
    void setSeen(bool seen);
    bool seen() const { return seen_; }

    /// Writes the working state in a moment; the moment begins with the first change, whatever follows it.
    void keepSoon() {
        if (!save_later_.isActive()) save_later_.start();
    }
    /// Writes the working state now and waits until it stands on the disk; false when it could not be
    /// written.
    bool saveState();

  signals:
    void muteChanged();
    /// Levels of the moment have moved, for what draws them: 30 times a second, 60 while a mouse button is
    /// held; never while nobody sees the window.
    void moved();
    /// As moved(), but 30 times a second at most.
    void readingsChanged();
    /// For what must go on unseen: 30 times a second, while unseen 4 times (30 while the monitor is on).
    void ticked();

  private:
    void connectParts();
    WorkingState readState();
    void takeLock();
    void keepNow();
    void tellOfKeeping();
    void tellTroubles();
    void tick();
    int pace() const;

    SessionPaths paths_;
    Engine engine_;
    Readings readings_{engine_};
    StageSpectrum spectrum_{engine_, readings_};
    Notices notices_;
    Preferences preferences_;
    ChainModel strip_{engine_.chain(), notices_};
    SceneShelf shelf_;
    Devices devices_;

    QTimer tick_, save_later_, started_;
    std::unique_ptr<QLockFile> lock_;  // on the state: one program writes it
    bool keeps_ = true;
    StateKeeper keeper_;
    std::unique_ptr<StartGuard> start_guard_;
    bool state_failed_ = false;
    bool seen_ = true, odd_ = false;
    QElapsedTimer tended_, looked_;
    std::map<std::string, QString> troubles_;  // by stage; each is told once
    RoomLearning* learning_;
    Microphones* microphones_;
    std::unique_ptr<Monitoring> monitoring_;
    std::unique_ptr<Background> background_;  // ends first: its work uses the engine
};

}  // namespace reed::ui
