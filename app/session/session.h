// The model behind the window: what it is made of, and the time it keeps.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <filesystem>
#include <map>
#include <memory>

#include "engine/meter_reader.h"
#include "scenes/mute_marker.h"
#include "session/app_context.h"
#include "session/chain_model.h"
#include "session/devices.h"
#include "session/mixer_model.h"
#include "session/preferences.h"
#include "session/scene_manager.h"
#include "session/stage_spectrum.h"
#include "session/start_guard.h"
#include "session/state_writer.h"

class QLockFile;

namespace reed::ui {

class MixBalanceModel;
class Characters;
class LoudnessAdvisor;
class AdaptationModel;
class Microphones;
class MonitorController;
class AutoRecallRules;
class StagePresets;
class NoiseProfileLearner;
class TakesModel;
class VoiceLoudnessModel;

/// One strip of the desk with all that belongs to it: its chain, input, readings, headphones. The first one
/// also holds what all share (what is told, scenes, preferences, the desk) and keeps the working state.
class Session final : public QObject {
    Q_OBJECT
  public:
    /// The first strip.
    explicit Session(SessionPaths paths, QObject* parent = nullptr);
    /// Another one; `spec` is what it is.
    Session(Session& first, const StripSpec& spec);
    ~Session() override;

    /// Reads scenes and the last session, and opens the input. Problems are told; it always starts.
    void begin();

    /// The state and input of another strip to begin with.
    void beginStrip(StripState state, const std::string& focused, const StripDeviceSettings& input,
                    const std::string& character);

    /// What this computer remembers of the strip.
    StripDeviceSettings kept() const;

    Session& first() const { return first_; }
    bool isFirst() const { return &first_ == this; }
    MixerModel& desk() const { return *first_.desk_; }
    LiveStrip& seat() const { return *seat_; }
    /// Frame of LiveStrip::said() with which the input in use began.
    std::int64_t inputHistoryStart() const { return said_from_; }
    const LiveMixer& live() const { return house_.live; }
    AppContext& house() const { return house_; }
    const std::shared_ptr<LiveStrip>& seatPointer() const { return seat_; }
    /// What it is called in the interface.
    QString stripName() const;
    /// Fader and mute as they are now.
    void applyStrip();
    /// The strip is known by another id from now on.
    void setLiveStripId(const std::string& id);

    Notifications& notices() { return house_.notices; }
    ChainModel& strip() { return strip_; }
    const ChainModel& strip() const { return strip_; }
    AutoRecallRules& recallRules() const { return *first_.recall_rules_; }
    SceneManager& shelf() { return *first_.shelf_; }
    const SceneManager& shelf() const { return *first_.shelf_; }
    Devices& devices() { return devices_; }
    Preferences& preferences() { return house_.preferences; }
    const Preferences& preferences() const { return house_.preferences; }

    Engine& engine() { return engine_; }
    MeterReader& readings() { return readings_; }
    /// Loudness of what leaves the desk.
    const LoudnessReading& feed() const { return first_.readings_.feed(); }
    /// Of the whole desk.
    EngineStats figures() const;
    LevelReport const& levels() const { return readings_.levels(); }
    /// Levels fit the chain as it is now (they lag behind a change of structure for a moment).
    bool levelsFit() const { return readings_.fits(strip_.chain().stages.size()); }
    /// Why a stage does not do its work; empty while it does. At most a second old.
    QString stageFault(const std::string& stage) const;
    /// Spectra around the focused stage.
    StageSpectrum& spectrum() { return spectrum_; }
    Microphones& microphones() { return *microphones_; }
    MonitorController& monitoring() { return *monitoring_; }
    NoiseProfileLearner& learning() { return *learning_; }
    MixBalanceModel& balance() const { return *first_.balance_; }
    VoiceLoudnessModel& voices() const { return *first_.voices_; }
    TakesModel& takes() const { return *first_.takes_; }
    StagePresets& recipes() const { return *first_.recipes_; }
    Characters& characters() const { return *first_.characters_; }
    AdaptationModel& fit() const { return *first_.fit_; }
    LoudnessAdvisor& verdict() const { return *verdict_; }
    Background& background() { return *background_; }

    bool muted() const { return house_.muted; }
    void setMuted(bool muted);
    /// The talk key goes down or up.
    void talk(bool held);
    /// Who holds the talk key has gone: the microphone is closed, or stays so.
    void talkOwnerLost();

    /// Whether anybody can see the window now: unseen, nothing is drawn or summed up for it; aside, a strip
    /// that is not worked on, only what a glance takes in.
    enum class Sight { unseen, aside, seen };
    void setSight(Sight sight);
    bool seen() const { return sight_ == Sight::seen; }

    /// Writes the working state in a moment; the moment begins with the first change, whatever follows it.
    void scheduleSave() {
        if (!first_.save_later_.isActive()) first_.save_later_.start();
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
    WorkingState readState();
    void takeLock();
    void keepNow();
    void keepMute();
    void followOther();
    void restoreCharacter(const std::string& name);
    void tellOfKeeping();
    void tellTroubles();
    void tick();
    int pace() const;

    void startUp();

    std::unique_ptr<AppContext> own_house_;  // of the first strip
    AppContext& house_;
    Session& first_;
    std::shared_ptr<LiveStrip> seat_;
    Engine& engine_;
    MeterReader readings_{engine_};
    StageSpectrum spectrum_{engine_, readings_};
    ChainModel strip_{engine_.chain(), house_.notices, house_.history};
    Devices devices_;
    // Of the first strip.
    std::unique_ptr<MixerModel> desk_;
    std::unique_ptr<SceneManager> shelf_;
    std::unique_ptr<AutoRecallRules> recall_rules_;
    MixBalanceModel* balance_ = nullptr;
    VoiceLoudnessModel* voices_ = nullptr;
    AdaptationModel* fit_ = nullptr;
    std::unique_ptr<TakesModel> takes_;
    std::unique_ptr<StagePresets> recipes_;
    std::unique_ptr<Characters> characters_;

    QTimer tick_, save_later_, started_, free_later_;
    std::unique_ptr<QLockFile> lock_;  // on the state: one program writes it
    bool keeps_ = true;
    bool ending_ = false;
    bool begun_ = false;  // before that there is nothing to keep that is not kept already
    std::unique_ptr<StateWriter> keeper_;
    MuteMarker mute_marker_{{}};
    std::unique_ptr<StartGuard> start_guard_;
    bool state_failed_ = false;
    Sight sight_ = Sight::seen;
    std::int64_t said_from_ = 0;
    bool odd_ = false;
    QElapsedTimer tended_, looked_;
    std::map<std::string, QString> troubles_;  // by stage; each is told once
    NoiseProfileLearner* learning_;
    LoudnessAdvisor* verdict_;
    Microphones* microphones_;
    std::unique_ptr<MonitorController> monitoring_;
    std::unique_ptr<Background> background_;  // ends first: its work uses the engine
};

}  // namespace reed::ui
