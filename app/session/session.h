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
class AdviceLog;
class OutputAdvisor;
class AdaptationModel;
class Microphones;
class MonitorController;
class AutoRecallRules;
class StagePresets;
class NoiseProfileLearner;
class SoundcheckFollowUp;
class SoundcheckModel;
class TakesModel;
class VoiceLoudnessModel;

/// Model of one mixer strip: chain, input, meters and headphones. The first one also owns what all strips
/// share (AppContext: notifications, preferences, mixer; the scenes) and stores the application state.
class Session final : public QObject {
    Q_OBJECT
  public:
    /// Creates the first strip.
    explicit Session(SessionPaths paths, QObject* parent = nullptr);
    /// Creates another strip from `spec`.
    Session(Session& first, const StripSpec& spec);
    ~Session() override;

    /// Reads scenes and the last session, and opens the input. Problems are reported; it always starts.
    void begin();

    /// Initial state and input of another strip.
    void beginStrip(StripState state, const std::string& focused, const StripDeviceSettings& input,
                    const std::string& character);

    /// Device settings of the strip on this computer.
    StripDeviceSettings kept() const;

    Session& first() const { return first_; }
    bool isFirst() const { return &first_ == this; }
    MixerModel& desk() const { return *first_.desk_; }
    LiveStrip& seat() const { return *seat_; }
    /// First frame of LiveStrip::said() that belongs to the current input.
    std::int64_t inputHistoryStart() const { return said_from_; }
    const LiveMixer& live() const { return house_.live; }
    AppContext& house() const { return house_; }
    const std::shared_ptr<LiveStrip>& seatPointer() const { return seat_; }
    /// Name in the interface.
    QString stripName() const;
    /// Current fader and mute as a gain factor.
    void applyStrip();
    /// Changes the id of the strip.
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
    /// Loudness of the mixer output.
    const LoudnessReading& feed() const { return first_.readings_.feed(); }
    /// Of the whole mixer.
    EngineStats figures() const;
    LevelReport const& levels() const { return readings_.levels(); }
    /// Whether the levels belong to the current chain (they lag behind a change of structure).
    bool levelsFit() const { return readings_.fits(strip_.chain().stages.size()); }
    /// Fault text of a stage, at most 1 s old; empty if there is none.
    QString stageFault(const std::string& stage) const;
    /// Spectra before and after the selected stage.
    StageSpectrum& spectrum() { return spectrum_; }
    Microphones& microphones() { return *microphones_; }
    MonitorController& monitoring() { return *monitoring_; }
    NoiseProfileLearner& learning() { return *learning_; }
    MixBalanceModel& balance() const { return *first_.balance_; }
    VoiceLoudnessModel& voices() const { return *first_.voices_; }
    TakesModel& takes() const { return *first_.takes_; }
    SoundcheckModel& soundcheck() const { return *first_.soundcheck_; }
    /// Whether there was no state of an earlier session.
    bool firstStart() const { return first_.first_start_; }
    StagePresets& recipes() const { return *first_.recipes_; }
    Characters& characters() const { return *first_.characters_; }
    AdaptationModel& fit() const { return *first_.fit_; }
    OutputAdvisor& advisor() const { return *advisor_; }
    SoundcheckFollowUp& sinceSoundcheck() const { return *since_soundcheck_; }
    /// Of all strips.
    AdviceLog& adviceLog() const { return *first_.advice_log_; }
    Background& background() { return *background_; }

    bool muted() const { return house_.muted; }
    void setMuted(bool muted);
    /// The talk shortcut is pressed or released.
    void talk(bool held);
    /// The holder of the talk shortcut is gone: mutes the microphone or leaves it muted.
    void talkOwnerLost();

    /// Visibility of the strip. Unseen: nothing is drawn or computed for drawing. Aside: a strip that is not
    /// selected, updated at a lower rate.
    enum class Sight { unseen, aside, seen };
    void setSight(Sight sight);
    bool seen() const { return sight_ == Sight::seen; }

    /// Schedules a save of the state, half a second after the first change.
    void scheduleSave() {
        if (!first_.save_later_.isActive()) first_.save_later_.start();
    }
    /// Saves the state and waits until it is on the disk; false if it could not be written.
    bool saveState();

  signals:
    void muteChanged();
    /// Current levels changed, for drawing: 30 times a second, 60 while a mouse button is held, never while
    /// hidden.
    void moved();
    /// As moved(), but at most 30 times a second.
    void readingsChanged();
    /// For work that continues while hidden: 30 times a second, 4 while hidden (30 while the headphones are
    /// on).
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
    std::unique_ptr<SoundcheckModel> soundcheck_;
    std::unique_ptr<StagePresets> recipes_;
    std::unique_ptr<Characters> characters_;

    QTimer tick_, save_later_, started_, free_later_;
    std::unique_ptr<QLockFile> lock_;  // on the state: one program writes it
    bool keeps_ = true;
    bool ending_ = false;
    bool first_start_ = false;
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
    AdviceLog* advice_log_ = nullptr;  // of the first strip
    SoundcheckFollowUp* since_soundcheck_;
    OutputAdvisor* advisor_;
    Microphones* microphones_;
    std::unique_ptr<MonitorController> monitoring_;
    std::unique_ptr<Background> background_;  // ends first: its work uses the engine
};

}  // namespace reed::ui
