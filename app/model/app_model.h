// Owns all models of the program.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <map>
#include <memory>

#include "model/devices/audio_system.h"
#include "model/scenes/scene_manager.h"
#include "model/shared/app_context.h"
#include "model/shared/state_store.h"
#include "model/strips/mixer_model.h"

namespace reed::ui {

class AdaptationModel;
class AdviceLog;
class AutoRecallRules;
class BackupModel;
class Characters;
class LatencyController;
class MixBalanceModel;
class OutputAdvisor;
class SoundcheckFollowUp;
class SoundcheckModel;
class StagePresets;
class TakesModel;
class VoiceLoudnessModel;

/// Owns the models: strips, scenes, takes and what all of them share. No model has a way back to it; each
/// gets what it needs by name. GUI thread only.
class AppModel final : public QObject {
    Q_OBJECT
  public:
    explicit AppModel(AppPaths paths);
    ~AppModel() override;

    /// Reads scenes and the working state, and opens the inputs. Problems are reported; it always starts.
    void start();
    /// Whether there was no state of an earlier session.
    bool firstStart() const { return store_.firstStart(); }
    /// Saves the state and waits until it is on the disk; false if it could not be written.
    bool saveState();

    AppContext& context() { return context_; }
    Notifications& notices() { return context_.notices; }
    Preferences& preferences() { return context_.preferences; }
    const Preferences& preferences() const { return context_.preferences; }
    History& history() { return context_.history; }
    const History& history() const { return context_.history; }
    MicrophoneMute& mute() { return context_.mute; }
    const MicrophoneMute& mute() const { return context_.mute; }

    AudioSystem& audio() { return audio_; }
    MixerModel& mixer() { return mixer_; }
    const MixerModel& mixer() const { return mixer_; }
    /// Loudness of the output.
    const LoudnessReading& outputLoudness() const { return mixer_.main().readings().feed(); }
    /// Of the whole mixer.
    EngineStats stats() const;
    MixBalanceModel& mixBalance() const { return *mix_balance_; }
    const LatencyController& latency() const { return *latency_; }
    VoiceLoudnessModel& voiceLoudness() const { return *voice_loudness_; }

    SceneManager& scenes() { return scenes_; }
    const SceneManager& scenes() const { return scenes_; }
    AutoRecallRules& recallRules() const { return *recall_rules_; }
    AdaptationModel& adaptation() const { return *adaptation_; }
    BackupModel& backup() const { return *backup_; }
    StagePresets& presets() const { return *presets_; }
    Characters& characters() const { return *characters_; }
    TakesModel& takes() const { return *takes_; }

    SoundcheckModel& soundcheck() const { return *soundcheck_; }
    /// What has changed on a strip since its soundcheck.
    SoundcheckFollowUp& followUp(const StripModel& strip) const { return *advice_.at(&strip).follow_up; }
    OutputAdvisor& advisor(const StripModel& strip) const { return *advice_.at(&strip).advisor; }
    /// Of all strips.
    AdviceLog& adviceLog() const { return *advice_log_; }

  private:
    /// Owned by the strip.
    struct Advice {
        SoundcheckFollowUp* follow_up;
        OutputAdvisor* advisor;
    };
    void setUp(StripModel* strip);
    void scheduleSave();
    void saveNow();
    void onMute();
    void onTakenOver();
    void poll();

    AppContext context_;
    AudioSystem audio_{context_};
    StateStore store_{context_};
    std::unique_ptr<BackupModel> backup_;
    std::unique_ptr<Characters> characters_;
    MixerModel mixer_{context_, audio_};
    SceneManager scenes_;
    std::unique_ptr<AutoRecallRules> recall_rules_;
    std::unique_ptr<VoiceLoudnessModel> voice_loudness_;
    std::unique_ptr<MixBalanceModel> mix_balance_;
    std::unique_ptr<LatencyController> latency_;
    std::unique_ptr<AdaptationModel> adaptation_;
    std::unique_ptr<StagePresets> presets_;
    std::unique_ptr<TakesModel> takes_;
    std::unique_ptr<SoundcheckModel> soundcheck_;
    std::unique_ptr<AdviceLog> advice_log_;
    std::map<const StripModel*, Advice> advice_;
    QTimer save_later_, return_memory_later_;
    QElapsedTimer polled_, reported_;
    bool starting_ = false, ending_ = false;
    Background background_;
};

}  // namespace reed::ui
