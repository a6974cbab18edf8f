// One strip of the mixer: its chain, input, levels and headphones.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <map>
#include <memory>

#include "engine/meter_reader.h"
#include "model/chain/chain_model.h"
#include "model/chain/stage_spectrum.h"
#include "model/devices/input_controller.h"
#include "model/devices/microphones.h"
#include "model/shared/background.h"
#include "model/strips/monitor_controller.h"
#include "model/strips/noise_profile_learner.h"
#include "model/strips/readout_history.h"

namespace reed::ui {

/// All strips are equal, whatever their place; MixerModel owns them. GUI thread only.
class StripModel final : public QObject {
    Q_OBJECT
  public:
    /// Silent until start(). `id`: unique in the mixer.
    StripModel(AppContext& context, AudioSystem& audio, const std::string& id, StripRole role,
               InputPolicy policy);
    ~StripModel() override;

    /// Sets the chain and the other state of the strip; `character` was on when the program ended (empty:
    /// none). A character that is missing mutes the microphone, so that the own voice isn't heard.
    void start(StripState state, const std::string& focused, const std::string& character);
    /// Begins to measure and to supervise the input.
    void run();

    AppContext& context() const { return context_; }
    Notifications& notices() const { return context_.notices; }
    AudioSystem& audio() const { return audio_; }

    ChainModel& chainModel() { return chain_; }
    const ChainModel& chainModel() const { return chain_; }
    InputController& input() { return input_; }
    const InputController& input() const { return input_; }
    /// The strip in the running mixer.
    LiveStrip& liveStrip() const { return *live_; }
    const std::shared_ptr<LiveStrip>& liveStripPtr() const { return live_; }
    Engine& engine() const { return live_->engine(); }
    /// Changes the id of the running strip. The chain model gets it with its next state.
    void setId(const std::string& id);
    /// Name in the interface.
    QString name() const;
    /// Applies the strip's mute and that of the microphone to the sound.
    void applyMute();
    /// Device settings of the strip on this computer.
    StripDeviceSettings deviceSettings() const;

    MeterReader& readings() { return readings_; }
    const LevelReport& levels() const { return readings_.levels(); }
    /// Levels that findings are derived from, see MeterReader::lasting_levels().
    const LevelReport& findingLevels() { return readings_.lasting_levels(); }
    /// How often stages, fader, mute or character have changed: what was measured at another count is of
    /// another sound.
    std::int64_t soundChanges() const { return sound_changes_; }
    /// Whether the levels belong to the current chain (they lag behind a change of structure).
    bool levelsFit() const { return readings_.fits(chain_.chain().stages.size()); }
    /// Fault text of a stage, at most 1 s old; empty if there is none.
    QString stageFault(const std::string& stage) const;
    /// First frame of LiveStrip::said() that belongs to the current input.
    std::int64_t inputHistoryStart() const { return history_start_; }
    /// Spectra before and after the selected stage.
    StageSpectrum& spectrum() { return spectrum_; }
    /// Readouts of the stages over the last minute.
    ReadoutHistory& readoutHistory() { return readout_history_; }

    /// The strips that sidechain source `source` (id of a strip, or kAllVoices) means now.
    std::vector<StripModel*> sidechainSources(const std::string& source) const {
        return sidechain_sources ? sidechain_sources(source) : std::vector<StripModel*>();
    }
    /// Set by MixerModel.
    std::function<std::vector<StripModel*>(const std::string&)> sidechain_sources;

    Microphones& microphones() { return microphones_; }
    MonitorController& monitoring() { return monitoring_; }
    const MonitorController& monitoring() const { return monitoring_; }
    NoiseProfileLearner& learning() { return learning_; }
    Background& background() { return background_; }

    /// hidden: nothing is drawn or computed for drawing. background: not the selected strip, updated at a
    /// lower rate.
    enum class Visibility { hidden, background, visible };
    void setVisibility(Visibility visibility);
    bool isVisible() const { return visibility_ == Visibility::visible; }

  signals:
    /// Current levels changed, for drawing: 30 times a second, 60 while a mouse button is held, never while
    /// hidden.
    void moved();
    /// As moved(), but at most 30 times a second.
    void readingsChanged();
    /// For work that continues while hidden: 30 times a second, 4 while hidden (30 while the headphones are
    /// on).
    void ticked();

  private:
    void tick();
    int interval() const;
    void reportFaults();
    void followReadouts();
    void noteChange();
    void restoreCharacter(const std::string& name);

    AppContext& context_;
    AudioSystem& audio_;
    std::shared_ptr<LiveStrip> live_;
    MeterReader readings_;
    StageSpectrum spectrum_;
    ReadoutHistory readout_history_;
    ChainModel chain_;
    InputController input_;
    Microphones microphones_;
    MonitorController monitoring_;
    QTimer tick_;
    Visibility visibility_;
    std::int64_t history_start_ = 0;
    SharedState changed_from_;
    std::int64_t sound_changes_ = 0;
    bool skip_readings_ = false, every_other_ = false;
    QElapsedTimer input_polled_, faults_reported_;
    std::map<std::string, QString> faults_;  // by stage; each is reported once
    Background background_;                  // ends before what its work uses
    NoiseProfileLearner learning_;
};

}  // namespace reed::ui
