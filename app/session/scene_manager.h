// The scenes: kept, recalled, and looked after while other programs write them too.
#pragma once

#include <QFileSystemWatcher>
#include <QObject>
#include <QTimer>
#include <map>
#include <memory>
#include <set>

#include "scenes/differences.h"
#include "scenes/library.h"
#include "session/mixer_model.h"
#include "session/notifications.h"
#include "session/serial_task_queue.h"

namespace reed::ui {

struct SceneFolder;
struct SceneFolderChanges;

/// The list is what the person has asked for; the disk follows on a thread of its own, and where it refuses,
/// the list is again what is there.
class SceneManager final : public QObject {
    Q_OBJECT
  public:
    SceneManager(std::filesystem::path folder, CurrentScene& work, Notifications& notices,
                 QObject* parent = nullptr);

    /// Fills an empty folder with the scenes of `demo`, and reads what is there.
    void begin(const std::filesystem::path& demo);
    const std::vector<SceneEntry>& scenes() const { return scenes_; }
    /// The scene of this name as it is saved, or nullptr.
    const Scene* find(const std::string& name) const;

    /// True when the chain in work differs from the saved scene of its name.
    bool changed() const;
    /// What differs from the saved scene of this name; empty when there is none, or nothing does.
    std::vector<Difference> changes() const;
    /// The scene as it was saved, as one step of undo.
    void takeBack() { recall(std::string(work_.name())); }

    /// What the scene in work was before it was saved, the newest first.
    std::vector<SceneRevision> earlier() const { return SceneLibrary(folder_).earlier(work_.name()); }
    bool hasEarlier() const { return SceneLibrary(folder_).has_earlier(work_.name()); }
    /// One of them takes the place of what is heard, unsaved, as one step of undo.
    void restoreRemoved(const SceneRevision& state);

    void recall(const std::string& name);
    /// A scene that came with the program takes the place of the one in work, unsaved, under a name that no
    /// scene has.
    void newFromTemplate(const Scene& scene);
    /// These return at once: false, with the reason told, when it can't be done whatever the disk does. Else
    /// saved() comes when it stands there, or the reason why not is told.
    bool save();
    /// What is to happen when the name is another scene's: nothing, or that one goes to "removed".
    enum class Replacing { no, yes };
    bool saveAs(const QString& name, Replacing replacing = Replacing::no);
    bool rename(const QString& name, Replacing replacing = Replacing::no);
    /// The other scene that has this name, as it is written there; empty when none has.
    QString conflictingName(const QString& name) const;
    void remove(const std::string& name);
    /// A scene is on its way to the disk.
    bool saving() const { return saving_ > 0; }
    /// Waits for the disk; false when something could not be done since this was last called.
    bool finish();
    /// Calls `then` on this thread when all that was asked for stands on the disk: with an empty text, or why
    /// something of it could not be done.
    void whenWritten(std::function<void(const QString& problem)> then);
    /// What waits for the disk, in its order.
    SerialTaskQueue& errands() { return errands_; }

    /// What belongs to the scene in work beside its sound. It is kept at once in its file, where there is
    /// one, and is no step of undo.
    struct About {
        QString note, group;
        std::optional<int> colour;
        double fade = Scene::kUsualFade;
        bool operator==(const About&) const = default;
    };
    About about() const;
    /// The scene in work, as it is heard, with what belongs to it as it is kept.
    Scene whole() const;
    void setAbout(const About& about);
    /// Levels by strip, measured with the desk of `measured`: the scene in work is made for them, and the
    /// saved one of this name, each where it still has that desk.
    void note(const std::map<std::string, ReferenceLevels>& made, const Scene& measured);

    /// Scene `name` stands at place `to` of all from now on.
    void moveTo(const std::string& name, size_t to);

    /// Writes scenes into a zip, or one alone into a scene file; those of these names, or all. Tells what
    /// became of it.
    void exportTo(const QString& path, const std::vector<std::string>& names = {});
    /// Reads a zip or a scene file; problems are told.
    std::vector<Scene> read(const QString& path);
    /// Saves what was read. Tells what became of it.
    void takeIn(const std::vector<Scene>& scenes, ConflictPolicy clash);
    /// Names of them that are here already.
    QStringList clashes(const std::vector<Scene>& scenes) const;

  signals:
    void scenesChanged();
    /// What belongs to the name of a scene belongs to another one now.
    void renamed(const QString& from, const QString& to);
    /// The scene in work was saved or has another name.
    void saved();

  private:
    template <typename Work, typename Done>
    void ask(Work work, Done done);
    template <typename Work>
    void ask(Work work);
    void came(SceneFolderChanges news);
    void tell(const Error& problem);
    void heardOfOthers(bool was_changed);
    void watch();
    void look();
    size_t put(const Scene& scene, const std::string& in_place_of);
    bool write(const Scene& scene, const std::string& from, bool keep);
    bool writeAs(Scene scene, const QString& name, const std::string& from, Replacing replacing);
    void amend(const Scene& scene);
    QString removedFolder() const;

    std::filesystem::path folder_;
    std::shared_ptr<SceneFolder> disk_;  // the errands' own
    CurrentScene& work_;
    Notifications& notices_;
    std::vector<SceneEntry> scenes_;
    std::set<std::string> told_unreadable_;
    std::set<std::string> others_;  // what other programs wrote, not looked at yet
    std::string outside_;  // scene that another program changed while this one had changes of its own
    QFileSystemWatcher files_;
    QTimer look_again_;
    int looks_ = 0, saving_ = 0;
    bool failed_ = false;
    QString problem_;          // the newest since nothing was under way
    SerialTaskQueue errands_;  // last: what is under way needs the others
};

}  // namespace reed::ui
