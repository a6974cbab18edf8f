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

/// What the shelf of scenes keeps and brings back.
class CurrentScene {
  public:
    virtual ~CurrentScene() = default;
    virtual Scene scene() const = 0;
    virtual const std::string& name() const = 0;
    /// Another scene takes its place; `label` names the step of undo.
    virtual void adopt(const Scene& scene, const QString& label, Fade fade) = 0;
    virtual void setName(const std::string& name) = 0;
    /// What a scene has beside its desk and name: note, colour, group, fade, what it is made for.
    virtual void setAbout(const Scene& about) = 0;
};

/// A strip is a Session: its chain, undo, memories, focus, readings and input. The first one is always there.
class MixerModel final : public QObject, public CurrentScene {
    Q_OBJECT
  public:
    MixerModel(Session& first, AppContext& house);
    ~MixerModel() override;

    /// In the order in which they are shown.
    const std::vector<Session*>& strips() const { return order_; }
    size_t count(StripRole role) const;
    Session* find(const std::string& id) const;
    /// The one that is worked on.
    Session& current() const { return *current_; }
    /// The voice that is worked on; while it is a programme, the first one. What is laid over a voice is laid
    /// over this one.
    Session& voice() const;
    void focus(const std::string& id);
    void focusNext(int by);

    /// Adds one, with a chain to begin with, and focuses it; nullptr, with the reason told, when there would
    /// be too many.
    Session* add(StripRole role);
    /// The first voice can't be removed. What listened to it listens to its own sound then. restoreRemoved()
    /// undoes it.
    void remove(const std::string& id);
    bool canRestoreRemoved() const;
    void restoreRemoved();
    /// Moves it so many places on.
    void move(const std::string& id, int by);
    /// The headphones get this strip alone; the same again, or an empty id: as before.
    void setSolo(const std::string& id);
    const std::string& solo() const;
    /// What a stage listens to; refused, with the reason told, where strips would wait for each other.
    void setKey(Session& strip, const std::string& stage, const std::string& key);

    /// Silences all voices, or lets them through again: what the big button does.
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

    /// The other strips of a state, at the start; the first one begins by itself.
    void begin(const WorkingState& state);
    void keep(WorkingState& state) const;
    /// The input of the first strip is about to be opened with this format, or another microphone to be made:
    /// what hangs on it is made anew.
    void formatChanges(const StreamFormat& feed);
    void reopenPipeWire();
    /// Ends all inputs.
    void stop();
    /// A strip's input has been opened, or what its stages listen to has changed.
    void arrange();

  signals:
    /// Strips came, went, moved.
    void stripsChanged();
    /// Another one is worked on.
    void focusChanged();
    void soloChanged();
    /// Another character is laid over a strip, or none.
    void characterChanged();
    /// Anything that a scene keeps.
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
    std::map<std::string, int> monitored_;               // sources before somebody was heard alone
    double least_ = 10.0, most_ = 15.0;
};

}  // namespace reed::ui
