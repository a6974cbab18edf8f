// The desk as the window edits it: which strips there are, which one is worked on, and all of them as a
// scene.
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
#include "scenes/working_state.h"
#include "session/history.h"

namespace reed::ui {

struct AppContext;
class Devices;
class Session;

/// Interface to the scene being edited, for SceneManager.
class CurrentScene {
  public:
    virtual ~CurrentScene() = default;
    virtual Scene scene() const = 0;
    virtual const std::string& name() const = 0;
    /// Loads another scene; `label` names the undo step.
    virtual void adopt(const Scene& scene, const QString& label, Fade fade) = 0;
    virtual void setName(const std::string& name) = 0;
    /// Sets the metadata of the scene: note, colour, group, transition time, reference levels.
    virtual void setAbout(const Scene& about) = 0;
};

/// Editable list of strips and the current scene. A strip is a Session; the first one always exists.
class MixerModel final : public QObject, public CurrentScene {
    Q_OBJECT
  public:
    MixerModel(Session& first, AppContext& house);
    ~MixerModel() override;

    /// Strips in the order shown.
    const std::vector<Session*>& strips() const { return order_; }
    size_t count(StripRole role) const;
    Session* find(const std::string& id) const;
    /// The selected strip.
    Session& current() const { return *current_; }
    /// The selected voice, or the first one while app audio is selected; characters apply to it.
    Session& voice() const;
    void focus(const std::string& id);
    void focusNext(int by);

    /// Adds a strip with a default chain and selects it; nullptr with a notification if there are too many.
    Session* add(StripRole role);
    /// Removes a strip and the sidechains from it. The first voice can't be removed. restoreRemoved() undoes
    /// it.
    void remove(const std::string& id);
    bool canRestoreRemoved() const;
    void restoreRemoved();
    /// Moves a strip by so many positions.
    void move(const std::string& id, int by);
    /// Toggles solo of a strip in the headphones; an empty id ends it.
    void setSolo(const std::string& id);
    const std::string& solo() const;
    /// Sets the sidechain of a stage; rejected with a notification if sidechains would form a loop.
    void setKey(Session& strip, const std::string& stage, const std::string& key);

    /// Mutes or unmutes all voices.
    void setMuted(bool muted);

    // The scene in work.
    Scene scene() const override;
    const std::string& name() const override;
    void adopt(const Scene& scene, const QString& label, Fade fade) override;
    void setName(const std::string& name) override;
    void setAbout(const Scene& about) override;
    double distanceLeast() const { return least_; }
    double distanceMost() const { return most_; }
    void setDistance(double least, double most);

    /// Restores the other strips of a state at the start; the first one starts on its own.
    void begin(const WorkingState& state);
    void keep(WorkingState& state) const;
    /// Call before the input of the first strip is opened with this format or the virtual microphone is
    /// created again: recreates what depends on it.
    void formatChanges(const StreamFormat& feed);
    void reopenPipeWire();
    /// Closes all inputs.
    void stop();
    /// Call when the input of a strip was opened or its sidechains changed.
    void arrange();

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

  private:
    struct Removed;
    Session* seat(const StripSpec& spec, const AbSettings& memories, const StripDeviceSettings& input,
                  const std::string& focused, const std::string& character = {});
    void take(Session& strip);
    void drop(const std::string& id);
    DeskState state() const;
    void restore(const DeskState& before);
    using Set = std::function<void(Session&, const SharedState&)>;
    void become(const DeskState& wanted, const Set& set);
    void letGo();
    QString userOf(const Devices& of, const DeviceChoice& choice) const;

    Session& first_;
    AppContext& house_;
    std::vector<Session*> order_;
    std::vector<std::unique_ptr<Session>> others_, leaving_;  // leaving: muted, and soon gone
    QTimer leave_;
    Session* current_;
    std::unique_ptr<Removed> removed_;
    std::pair<std::vector<std::shared_ptr<LiveStrip>>, std::vector<size_t>> arranged_;
    std::map<std::string, StripDeviceSettings> inputs_;  // also of strips that are not on the desk now
    std::map<std::string, int> monitored_;               // sources before one strip was soloed
    double least_ = 10.0, most_ = 15.0;
};

}  // namespace reed::ui
