// The model behind the window: scene in work, undo, input, scenes on disk, readings.
#pragma once

#include <QDateTime>
#include <QElapsedTimer>
#include <QFileSystemWatcher>
#include <QObject>
#include <QTimer>
#include <filesystem>
#include <functional>
#include <memory>
#include <set>

#include "devices/pipewire_device.h"
#include "devices/simulated_room.h"
#include "engine/readings.h"
#include "scenes/differences.h"
#include "scenes/library.h"
#include "scenes/working_state.h"
#include "session/background.h"
#include "session/history.h"
#include "session/keys.h"
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

class Session final : public QObject {
    Q_OBJECT
  public:
    explicit Session(SessionPaths paths, QObject* parent = nullptr);
    ~Session() override;

    /// Reads scenes and the last session, starts the input. Problems are told by message(); it always starts.
    void begin();
    /// Makes the devices of PipeWire; PipeWireDevice::create when nothing else is said.
    using MicrophoneMaker = std::function<Result<std::unique_ptr<Device>>(const PipeWireOptions&)>;
    void setMicrophones(MicrophoneMaker maker) { microphones_ = std::move(maker); }

    // --- the scene in work ---
    const Scene& scene() const { return scene_; }
    const ChainSpec& chain() const { return scene_.chain; }
    /// True when the chain differs from the saved scene of this name.
    bool changed() const;
    /// What differs from the saved scene of this name; empty when there is none, or nothing does.
    std::vector<Difference> changes() const;
    /// The scene as it was saved, as one step of undo.
    void takeBackChanges() { recall(std::string(scene_.name)); }
    const StageSpec* stage(const std::string& id) const;

    /// Sets one value (checked against its range; refused with a message). `id` is a stage's.
    bool setValue(const std::string& id, size_t parameter, double value);
    /// Several values of one stage at once, as one step of undo.
    bool setValues(const std::string& id, const std::vector<double>& values, const QString& label,
                   const QString& key);
    /// Does what a finding proposes, as one step of undo.
    void apply(const std::string& id, const Proposal& proposal, const QString& words);
    /// What a stage was taught.
    void setTone(const std::string& id, const RoomTone& tone, const QString& label);
    void setBypass(const std::string& id, bool bypass);
    /// Adds a stage at `index` of the order and focuses it.
    void addStage(const StageKind& kind, size_t index);
    void duplicateStage(const std::string& id);
    void removeStage(const std::string& id);
    void moveStage(const std::string& id, int to);
    void renameStage(const std::string& id, const QString& title);
    /// All values as the kind's table has them.
    void resetStage(const std::string& id);
    /// The stage as the text of a scene, to be pasted here or sent to a friend; empty when there is none.
    QString stageText(const std::string& id) const;
    /// Inserts the stages of such a text (or of a whole scene's) at `index`; false, with the reason told,
    /// when it is none.
    bool pasteStages(const QString& text, size_t index);
    /// Two memories a stage, A and B: flips to the other one, which first is a copy. What is in work is
    /// remembered.
    void flipMemory(const std::string& id);
    /// Which one is in work: 'A' or 'B'.
    char memoryOf(const std::string& id) const;
    /// A drag or a burst of wheel turns ends here: the next change is a step of its own.
    void closeStep() { history_.closeStep(); }

    void undo();
    void redo();
    const History& history() const { return history_; }

    const std::string& focused() const { return focused_; }
    void focus(const std::string& id);

    // --- scenes ---
    const std::vector<SceneEntry>& scenes() const { return scenes_; }
    void recall(const std::string& name);
    bool saveScene();
    /// What is to happen when the name is another scene's: nothing, or that one goes to "removed".
    enum class Replacing { no, yes };
    bool saveSceneAs(const QString& name, Replacing replacing = Replacing::no);
    bool renameScene(const QString& name, Replacing replacing = Replacing::no);
    /// The other scene that has this name, as it is written there; empty when none has.
    QString sceneInTheWay(const QString& name) const;
    void removeScene(const std::string& name);

    // --- input and feed ---
    const DeviceChoice& input() const { return input_; }
    QString inputTitle() const;
    void setInput(const DeviceChoice& choice);
    SimulatedRoom* room() { return room_; }
    void setRoom(RoomControl control, double value);
    DeviceStatus deviceStatus() const;
    /// What PipeWire knows now.
    const PipeWirePicture& devices() const { return devices_; }
    std::shared_ptr<const PipeWireGraph> graph() const { return graph_; }
    Microphones& microphones() { return *microphones_heard_; }
    const AudioSettings& audio() const { return audio_; }
    /// Another block size, channel count or name of the virtual microphone: the input starts anew with it.
    void setAudio(const AudioSettings& settings);
    /// Makes the virtual microphone the one that programs use which do not choose.
    void makeDefaultMicrophone();
    /// Another program listens to the virtual microphone, whatever the input is.
    bool feedUsed() const { return graph_ && graph_->picture().feed_used; }
    /// Ends the input and takes the virtual microphone away from all programs: for the last moment of the
    /// program.
    void removeMicrophone();
    /// When blocks were lost since the input started.
    const std::vector<QDateTime>& dropoutTimes() const { return dropout_times_; }
    /// Delay from the microphone to other programs in ms: device, one block, chain.
    double totalDelayMs() const;

    bool muted() const { return engine_.muted(); }
    void setMuted(bool muted);
    enum class TalkKey { toggles, talks, mutes };
    /// What the talk key does while it is held: nothing more than a switch, opens the microphone, or closes
    /// it.
    TalkKey talkKey() const { return talk_key_; }
    void setTalkKey(TalkKey mode);
    /// The talk key goes down or up.
    void talk(bool held);

    /// Where the loudness of the feed shall be, in LUFS (-30 to -9); a choice, -16 to begin with.
    static constexpr double kLeastTarget = -30.0, kMostTarget = -9.0;
    double target() const { return target_; }
    void setTarget(double lufs);

    Monitoring& monitoring() { return *monitoring_; }

    Engine& engine() { return engine_; }
    Readings& readings() { return readings_; }
    LevelReport const& levels() const { return readings_.levels(); }
    /// Levels fit the chain as it is now (they lag behind a change of structure for a moment).
    bool levelsFit() const { return readings_.fits(chain().stages.size()); }

    /// Spectra around the focused stage.
    StageSpectrum& spectrum() { return spectrum_; }
    RoomLearning& learning() { return *learning_; }
    Background& background() { return *background_; }
    /// Tells an error by message(), its first letter made large.
    void tell(const Error& error);

    /// Whether anybody can see the window now: unseen, nothing is drawn or summed up for it.
    void setSeen(bool seen);
    bool seen() const { return seen_; }

    Keys& keys() { return keys_; }
    const Keys& keys() const { return keys_; }

    QString themeName() const { return theme_; }
    void setThemeName(const QString& name);
    QByteArray geometry() const { return geometry_; }
    void setGeometry(const QByteArray& g);
    /// Writes the working state in a moment; the moment begins with the first change, whatever follows it.
    void keepSoon() {
        if (!save_later_.isActive()) save_later_.start();
    }
    /// Writes the working state now and waits until it stands on the disk; false when it could not be
    /// written.
    bool saveState();

  signals:
    void chainChanged();
    void focusChanged();
    void scenesChanged();
    void inputChanged();
    void muteChanged();
    void targetChanged();
    /// A control of the simulated room has moved.
    void roomChanged();
    /// Microphones or outputs came or went.
    void devicesChanged();
    void themeChanged();
    /// Levels of the moment have moved, for what draws them: 30 times a second, 60 while a mouse button is
    /// held; never while nobody sees the window.
    void moved();
    /// As moved(), but 30 times a second at most.
    void readingsChanged();
    /// For what must go on unseen: 30 times a second, while unseen 4 times (30 while the monitor is on).
    void ticked();
    /// Something to tell; `serious` for errors.
    void message(const QString& text, bool serious);

  private:
    void change(Scene after, const QString& label, const QString& key, Fade fade = Fade::quick,
                const std::string& flipped = {});
    void take(Scene scene, Fade fade);
    void step(Scene to, const std::string& flipped);
    void tellTroubles();
    void takeLock();
    void tellFocus();
    void keepNow();
    void tellOfKeeping();
    void tendDevices();
    void noteDropouts(std::uint64_t dropouts);
    void reloadScenes();
    void watchScenes();
    void lookAtScenes();
    bool writeScene(SceneLibrary::Old old);
    QString removedFolder() const;
    bool startDevice(const DeviceChoice& choice, bool wait);
    void tick();
    int pace() const;
    QString nameOf(const std::string& id) const;

    SessionPaths paths_;
    SceneLibrary library_;
    Engine engine_;
    Readings readings_;
    StageSpectrum spectrum_{engine_, readings_};
    std::unique_ptr<Device> device_;
    MicrophoneMaker microphones_;
    SimulatedRoom* room_ = nullptr;
    std::map<std::string, double> room_values_;
    DeviceChoice input_;
    std::shared_ptr<PipeWireGraph> graph_;
    PipeWirePicture devices_;
    std::uint64_t devices_version_ = 0;
    AudioSettings audio_;
    QString told_problem_;
    std::uint64_t dropouts_seen_ = 0;
    std::vector<QDateTime> dropout_times_;
    int proposed_block_ = 0;

    Scene scene_;
    std::string focused_, told_focus_;
    std::vector<SceneEntry> scenes_;
    std::set<std::string> told_unreadable_;
    std::string outside_;  // scene that another program changed while this one had changes of its own
    QFileSystemWatcher scene_files_;
    int looks_ = 0;
    History history_;
    std::map<std::string, OtherMemory> memories_;  // by stage
    Keys keys_;
    double target_ = -16.0;
    TalkKey talk_key_ = TalkKey::toggles;
    QString theme_ = "dusk";
    QByteArray geometry_;
    QTimer tick_, save_later_, look_again_;
    std::unique_ptr<QLockFile> lock_;  // on the state: one program writes it
    bool keeps_ = true;
    StateKeeper keeper_;
    std::unique_ptr<StartGuard> start_guard_;
    bool state_failed_ = false;
    bool seen_ = true, odd_ = false;
    QElapsedTimer tended_, looked_;
    std::string told_trouble_;  // of which stage, so that it is told once
    RoomLearning* learning_;
    Microphones* microphones_heard_;
    std::unique_ptr<Monitoring> monitoring_;
    std::unique_ptr<Background> background_;  // ends first: its work uses the engine
};

}  // namespace reed::ui
