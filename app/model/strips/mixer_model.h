// The mixer as the window edits it: its strips, which one is selected, and all of them as a scene.
#pragma once

#include <QObject>
#include <QTimer>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "chain/chain_runner.h"
#include "devices/device.h"
#include "mixer/live_mixer.h"
#include "model/strips/strip_model.h"
#include "scenes/working_state.h"

namespace reed::ui {

/// Interface to the scene being edited, for SceneManager.
class CurrentScene {
  public:
    virtual ~CurrentScene() = default;
    virtual Scene scene() const = 0;
    virtual const std::string& name() const = 0;
    /// Whether scene() is `saved` but for transient values. Copies nothing.
    virtual bool matches(const MixerSpec& saved) const = 0;
    /// Loads another scene; `label` names the undo step.
    virtual void adopt(const Scene& scene, const QString& label, Fade fade) = 0;
    virtual void setName(const std::string& name) = 0;
    /// Sets the metadata of the scene: note, colour, group, transition time, reference levels.
    virtual void setAbout(const Scene& about) = 0;
};

/// Owns the strips and the current scene. There is always a main strip: a voice that can't be removed, whose
/// input sets the mixer's rate while it is alone.
class MixerModel final : public QObject, public CurrentScene {
    Q_OBJECT
  public:
    /// Creates the main strip.
    MixerModel(AppContext& context, AudioSystem& audio);
    ~MixerModel() override;

    /// Strips in the order shown.
    const std::vector<StripModel*>& strips() const { return order_; }
    size_t count(StripRole role) const;
    StripModel* find(const std::string& id) const;
    StripModel& main() const { return *main_; }
    /// The selected strip.
    StripModel& current() const { return *current_; }
    /// The selected voice, or the first one while app audio is selected; characters apply to it.
    StripModel& voice() const;
    void focus(const std::string& id);
    void focusNext(int by);

    /// Adds a strip with a default chain and selects it; nullptr with a notification if there are too many.
    StripModel* add(StripRole role);
    /// Removes a strip and the sidechains from it. The main strip can't be removed. restoreRemoved() undoes
    /// it.
    void remove(const std::string& id);
    bool canRestoreRemoved() const;
    void restoreRemoved();
    /// Moves a strip by so many positions.
    void move(const std::string& id, int by);
    /// Toggles solo of a strip in the headphones; an empty id ends it. See MonitorMix::solo().
    void setSolo(const std::string& id);
    /// Sets the sidechain of a stage; rejected with a notification if sidechains would form a loop.
    void setSidechain(StripModel& strip, const std::string& stage, const std::string& source);

    /// Applies the mute of the microphone to the sound of all strips.
    void applyMute();

    // The current scene.
    Scene scene() const override;
    const std::string& name() const override;
    bool matches(const MixerSpec& saved) const override;
    void adopt(const Scene& scene, const QString& label, Fade fade) override;
    void setName(const std::string& name) override;
    void setAbout(const Scene& about) override;
    /// The scene as far as it belongs to no strip: name, note, reference levels, soundchecks; its strips are
    /// not valid.
    const Scene& metadata() const;
    /// Target loudness distance of app audio below the voices, in LU: smallest and largest.
    std::pair<double, double> targetDistance() const { return {least_, most_}; }
    /// Values are limited to 0 to 40 LU.
    void setTargetDistance(double min, double max);

    /// Restores all strips, and opens their inputs.
    void start(const WorkingState& state);
    void save(WorkingState& state) const;
    /// Closes all inputs.
    void stop();

  signals:
    /// Strips were added, removed or moved.
    void stripsChanged();
    /// Another strip was selected.
    void focusChanged();
    void soloChanged();
    /// The active character of a strip changed.
    void characterChanged();
    /// Anything that a scene stores changed.
    void changed();
    /// What is stored beside the scene changed: selected stage or strip, inputs, headphones.
    void settingsChanged();
    /// A strip was created; it is silent and has no chain yet.
    void stripCreated(StripModel* strip);
    /// StripModel::ticked() of the main strip, for models of all strips.
    void ticked();

  private:
    /// A strip that was removed, for restoreRemoved().
    struct Removed {
        StripSpec spec;
        AbSettings memories;
        StripDeviceSettings input;
        std::string focused;
        size_t at = 0;
    };
    StripModel& create(const std::string& id, StripRole role);
    StripModel* restoreStrip(const StripSpec& spec, const AbSettings& memories,
                             const StripDeviceSettings& input, const std::string& focused,
                             const std::string& character = {});
    void drop(const std::string& id);
    void arrange();
    void onFormatChanging(const StreamFormat& format);
    DeskState state() const;
    void restore(const DeskState& before);
    using Set = std::function<void(StripModel&, const SharedState&)>;
    void applyState(const DeskState& wanted, const Set& set);
    void releaseLeaving();
    void setMainId(const std::string& id);
    QString userOf(const StripModel& of, const DeviceChoice& choice) const;
    StripDeviceSettings storedInput(const std::string& id) const;
    bool isAlone() const { return strips_.size() == 1; }

    AppContext& context_;
    AudioSystem& audio_;
    std::vector<std::unique_ptr<StripModel>> strips_, leaving_;  // leaving: muted, and soon gone
    StripModel* main_ = nullptr;
    std::vector<StripModel*> order_;
    QTimer leave_;
    StripModel* current_ = nullptr;
    std::unique_ptr<Removed> removed_;
    std::pair<std::vector<std::shared_ptr<LiveStrip>>, std::vector<size_t>> arranged_;
    std::map<std::string, StripDeviceSettings> inputs_;  // also of strips that are not in the mixer now
    std::map<std::string, MonitorSource> monitored_;     // sources before one strip was soloed
    double least_ = 10.0, most_ = 15.0;
};

}  // namespace reed::ui
