// The list of scenes: saved, recalled, and kept up to date with the folder.
#pragma once

#include <QFileSystemWatcher>
#include <QObject>
#include <QTimer>
#include <map>
#include <memory>
#include <set>

#include "model/shared/notifications.h"
#include "model/shared/serial_task_queue.h"
#include "model/strips/mixer_model.h"
#include "scenes/differences.h"
#include "scenes/library.h"

namespace reed::ui {

struct SceneFolder;
struct SceneFolderChanges;

/// The list changes at once; a worker thread writes to the disk. If writing fails, the list returns to what
/// is on the disk. GUI thread only.
class SceneManager final : public QObject {
    Q_OBJECT
  public:
    SceneManager(std::filesystem::path folder, CurrentScene& work, Notifications& notices,
                 QObject* parent = nullptr);

    /// Fills an empty folder with the scenes of `demo`, and reads the folder.
    void begin(const std::filesystem::path& demo);
    const std::vector<SceneEntry>& scenes() const { return scenes_; }
    /// The saved scene with this name, or nullptr.
    const Scene* find(const std::string& name) const;

    /// Whether the current scene has unsaved changes.
    bool changed() const;
    /// The unsaved changes of the current scene; empty if there are none or it was never saved.
    std::vector<Difference> changes() const;
    /// Reverts to the saved scene as one undo step.
    void takeBack() { recall(std::string(work_.name())); }

    /// Previous versions of the current scene, newest first.
    std::vector<SceneRevision> earlier() const { return SceneLibrary(folder_).earlier(work_.name()); }
    bool hasEarlier() const { return SceneLibrary(folder_).has_earlier(work_.name()); }
    /// Restores one of them, unsaved, as one undo step.
    void restoreRemoved(const SceneRevision& state);

    /// Loads a saved scene, with its transition time, as one undo step.
    void recall(const std::string& name);
    /// Loads a template as a new unsaved scene with a unique name.
    void newFromTemplate(const Scene& scene);
    /// These don't block. They return false with a notification if the request is invalid; otherwise saved()
    /// follows, or a notification if writing failed.
    bool save();
    /// What to do if another scene has the name: nothing, or move it to "removed".
    enum class Replacing { no, yes };
    bool saveAs(const QString& name, Replacing replacing = Replacing::no);
    bool rename(const QString& name, Replacing replacing = Replacing::no);
    /// The name of the other scene that conflicts with this name; empty if none.
    QString conflictingName(const QString& name) const;
    /// Moves the file of a scene to "removed".
    void remove(const std::string& name);
    /// Whether a scene is being written.
    bool saving() const { return saving_ > 0; }
    /// Waits until everything is written; false if something failed since the last call.
    bool finish();
    /// Calls `then` on this thread when everything requested is on the disk: with an empty text, or the
    /// reason why not.
    void whenWritten(std::function<void(const QString& problem)> then);
    /// Queue of disk tasks.
    SerialTaskQueue& errands() { return errands_; }

    /// Metadata of the current scene. Written to its file at once, if it has one; no undo step.
    struct About {
        QString note, group;
        std::optional<int> colour;
        double fade = Scene::kUsualFade;
        bool operator==(const About&) const = default;
    };
    About about() const;
    /// The current scene with its stored metadata.
    Scene whole() const;
    void setAbout(const About& about);
    /// Stores reference levels by strip, measured with the mixer of `measured`, in the current and in the
    /// saved scene if they still have that mixer.
    void note(const std::map<std::string, ReferenceLevels>& made, const Scene& measured);
    /// Stores the soundcheck of a strip in the current scene; saved with it.
    void noteSoundcheck(const std::string& strip, const SoundcheckRecord& record);

    /// Moves scene `name` to position `to`.
    void moveTo(const std::string& name, size_t to);

    /// Exports scenes to a zip, or one to a scene file; all scenes if no names are given. Notifies about the
    /// result.
    void exportTo(const QString& path, const std::vector<std::string>& names = {});
    /// Reads a zip or a scene file; notifies about problems.
    std::vector<Scene> read(const QString& path);
    /// Imports what was read. Notifies about the result.
    void takeIn(const std::vector<Scene>& scenes, ConflictPolicy clash);
    /// Names that already exist.
    QStringList clashes(const std::vector<Scene>& scenes) const;

  signals:
    /// Scenes were added, removed, moved or changed.
    void scenesChanged();
    /// A scene was renamed.
    void renamed(const QString& from, const QString& to);
    /// The current scene was saved or renamed.
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
    std::shared_ptr<SceneFolder> disk_;  // used by the worker thread only
    CurrentScene& work_;
    Notifications& notices_;
    std::vector<SceneEntry> scenes_;
    std::set<std::string> told_unreadable_;
    std::set<std::string> others_;  // scenes that other programs wrote, not handled yet
    std::string outside_;           // scene that another program changed while it had unsaved changes
    QFileSystemWatcher files_;
    QTimer look_again_;
    int looks_ = 0, saving_ = 0;
    bool failed_ = false;
    QString problem_;          // newest problem since the last time that no task was pending
    SerialTaskQueue errands_;  // last: its tasks use the other members
};

}  // namespace reed::ui
