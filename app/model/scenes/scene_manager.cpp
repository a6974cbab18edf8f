#include "model/scenes/scene_manager.h"

#include <algorithm>
#include <filesystem>
#include <utility>

#include "base/case_folding.h"
#include "base/file.h"
#include "model/scenes/scene_folder.h"
#include "scenes/scene_archive.h"

namespace reed::ui {

SceneManager::SceneManager(std::filesystem::path folder, CurrentScene& work, Notifications& notices,
                           QObject* parent)
    : QObject(parent),
      folder_(std::move(folder)),
      disk_(std::make_shared<SceneFolder>(folder_)),
      work_(work),
      notices_(notices) {
    look_again_.setInterval(300);  // after the last news: a program that writes a scene may write it in parts
    look_again_.setSingleShot(true);
    connect(&look_again_, &QTimer::timeout, this, &SceneManager::look);
    connect(&files_, &QFileSystemWatcher::directoryChanged, this, [this] { look_again_.start(); });
    connect(&files_, &QFileSystemWatcher::fileChanged, this, [this] { look_again_.start(); });
}

// --- the disk ---

/// Runs `work(disk)` on the disk thread, then `done(result)` on the GUI thread, and updates the list.
template <typename Work, typename Done>
void SceneManager::ask(Work work, Done done) {
    errands_.run(
        this,
        [disk = disk_, work = std::move(work)] {
            auto answer = work(*disk);
            return std::pair(std::move(answer), disk->news());
        },
        [this, done = std::move(done)](auto both) {
            came(std::move(both.second));
            done(both.first);
        });
}

/// The same; only an error is reported.
template <typename Work>
void SceneManager::ask(Work work) {
    ask(std::move(work), [this](const auto& done) {
        if (!done.ok()) tell(done.error());
    });
}

void SceneManager::tell(const Error& problem) {
    failed_ = true;
    problem_ = QString::fromStdString(problem.text());
    notices_.tell(problem);
}

/// Ignores file events while a task runs, which reports its own result; they would undo it until then.
void SceneManager::came(SceneFolderChanges news) {
    others_.merge(news.others);
    if (errands_.busy()) return;
    const bool was_changed = changed();
    scenes_ = std::move(news.now.scenes);
    if (news.now.folder_problem) tell(*news.now.folder_problem);
    for (const auto& e : news.now.unreadable) {
        if (told_unreadable_.insert(e.text()).second)
            notices_.warn(tr("Can't read a scene file: %1 It was left unchanged.")
                              .arg(QString::fromStdString(e.text())));
    }
    watch();
    emit scenesChanged();
    if (std::exchange(others_, {}).contains(case_folded(work_.name()))) heardOfOthers(was_changed);
}

bool SceneManager::finish() {
    errands_.finish();
    return !std::exchange(failed_, false);
}

void SceneManager::whenWritten(std::function<void(const QString& problem)> then) {
    ask([](SceneFolder&) { return Result<void>{}; },
        [this, then = std::move(then)](const Result<void>&) { then(problem_); });
}

void SceneManager::begin(const std::filesystem::path& demo) {
    ask([demo](SceneFolder& disk) { return disk.library.fill_from(demo); });
    finish();
}

const Scene* SceneManager::find(const std::string& name) const {
    for (const auto& entry : scenes_) {
        if (entry.scene.name == name) return &entry.scene;
    }
    return nullptr;
}

bool SceneManager::changed() const {
    const Scene* there = find(work_.name());
    return there == nullptr || !work_.matches(there->desk);
}

std::vector<Difference> SceneManager::changes() const {
    const Scene* there = find(work_.name());
    if (there == nullptr) return {};
    return differences(there->desk, without_transients(work_.scene().desk));
}

/// Watches the folder for new and removed files, and each file for changes.
void SceneManager::watch() {
    QStringList wanted;
    if (std::error_code ec; std::filesystem::is_directory(folder_, ec))
        wanted << QString::fromStdString(folder_.string());
    for (const auto& entry : scenes_) wanted << QString::fromStdString(entry.path.string());
    const QStringList watched = files_.files() + files_.directories();
    QStringList gone;
    for (const QString& path : watched) {
        if (!wanted.contains(path)) gone << path;
    }
    // Qt stops watching a file that was replaced by another one of the same name.
    for (const QString& path : watched) wanted.removeAll(path);
    if (!gone.isEmpty()) files_.removePaths(gone);
    if (!wanted.isEmpty()) files_.addPaths(wanted);
}

void SceneManager::look() {
    errands_.run(
        this, [disk = disk_] { return disk->news(); },
        [this](SceneFolderChanges news) {
            // Perhaps it is still being written.
            if (!news.now.unreadable.empty() && ++looks_ < 4) {
                others_.merge(news.others);
                look_again_.start();
                return;
            }
            looks_ = 0;
            came(std::move(news));
        });
}

/// The scene in work was written by another program.
void SceneManager::heardOfOthers(bool was_changed) {
    const SceneEntry* there = find_scene(scenes_, work_.name());
    if (there == nullptr || there->scene.desk == without_transients(work_.scene().desk)) return;
    const QString name = QString::fromStdString(there->scene.name);
    if (!was_changed) {
        work_.adopt(there->scene, tr("%1 changed externally").arg(name), Fade::scene);
        emit scenesChanged();
        notices_.say(
            tr("“%1” was changed outside Dusky Reed and has been reloaded. Press Ctrl+Z to undo.").arg(name));
        return;
    }
    notices_.warn(tr("“%1” was changed outside Dusky Reed. Your unsaved version stays active; when you save "
                     "it, the other version is moved to %2")
                      .arg(name, removedFolder()));
    outside_ = name.toStdString();
}

void SceneManager::recall(const std::string& name) {
    for (const auto& entry : scenes_) {
        if (entry.scene.name != name) continue;
        if (same_name(outside_, name)) outside_.clear();  // what is there is taken up
        work_.adopt(entry.scene, tr("Recall %1").arg(QString::fromStdString(name)),
                    Fade::over(entry.scene.fade));
        emit scenesChanged();
        return;
    }
}

void SceneManager::newFromTemplate(const Scene& scene) {
    Scene fresh = scene;
    for (int n = 2; find_scene(scenes_, fresh.name) != nullptr; ++n)
        fresh.name = scene.name + " " + std::to_string(n);
    work_.adopt(fresh, tr("New from %1").arg(QString::fromStdString(scene.name)), Fade::over(scene.fade));
    emit scenesChanged();
    notices_.say(tr("Not saved yet. %1").arg(QString::fromStdString(scene.note)));
}

void SceneManager::restoreRemoved(const SceneRevision& state) {
    Scene scene = state.scene;
    scene.name = work_.name();
    work_.adopt(scene,
                tr("%1 as of %2").arg(QString::fromStdString(scene.name), QString::fromStdString(state.when)),
                Fade::scene);
    emit scenesChanged();
    notices_.say(tr("Restored the version of %1. Not saved yet.").arg(QString::fromStdString(state.when)));
}

bool SceneManager::save() {
    return write(whole(), work_.name(), false);
}

/// Puts it into the list, in the place of the one of its name, or of `in_place_of`. Gives the digest of the
/// file of its name, as far as it is known here; 0 where there is none.
size_t SceneManager::put(const Scene& scene, const std::string& in_place_of) {
    const auto of = [this](const std::string& name) {
        return std::ranges::find_if(
            scenes_, [&name](const SceneEntry& entry) { return same_name(entry.scene.name, name); });
    };
    auto place = of(scene.name);
    const size_t known = place == scenes_.end() ? 0 : place->digest;
    const auto old = of(in_place_of);
    if (!in_place_of.empty() && old != scenes_.end() && old != place) {
        *old = {{}, scene, scene.version, known};
        if (place != scenes_.end()) scenes_.erase(place);
        return known;
    }
    if (place == scenes_.end()) place = scenes_.insert(place, SceneEntry());
    *place = {place->path, scene, scene.version, known};
    return known;
}

/// Writes `scene`, whose name the one in work has from then on; the file of `from` goes where that is another
/// name. `keep`: the overwritten scene is kept in "removed" in any case.
bool SceneManager::write(const Scene& scene, const std::string& from, bool keep) {
    if (!errands_.busy()) problem_.clear();
    if (const auto problem = scene_problem(scene)) {
        tell(*problem);
        return false;
    }
    const bool moves = !same_name(from, scene.name);
    keep = keep || same_name(outside_, scene.name);
    if (same_name(outside_, scene.name)) outside_.clear();
    const std::string before = work_.name();
    const size_t known = put(scene, moves ? from : std::string());
    if (scene.name != before) work_.setName(scene.name);
    ++saving_;
    const auto tell_renamed = [this, moves](const std::string& was, const std::string& is) {
        if (moves) emit renamed(QString::fromStdString(was), QString::fromStdString(is));
    };
    tell_renamed(from, scene.name);
    emit scenesChanged();
    ask(
        [scene, known, keep,
         from = moves ? from : std::string()](SceneFolder& disk) -> Result<SceneFolder::Written> {
            auto written = disk.write(scene, known, keep);
            if (!written.ok() || from.empty()) return written;
            disk.library.renamed(from, scene.name);
            if (auto removed = disk.library.remove(from); !removed.ok()) return removed.error();
            return written;
        },
        [this, scene, before, from, tell_renamed](const Result<SceneFolder::Written>& written) {
            --saving_;
            if (!written.ok()) {
                tell_renamed(scene.name, from);
                if (before != scene.name && work_.name() == scene.name) work_.setName(before);
                emit scenesChanged();
                return tell(written.error());
            }
            emit scenesChanged();
            emit saved();
            const QString name = QString::fromStdString(scene.name);
            const QString path = QString::fromStdString(written.value().path.string());
            notices_.say(written.value().kept ? tr("Saved “%1” to %2. The previous file was moved to %3")
                                                    .arg(name, path, removedFolder())
                                              : tr("Saved “%1” to %2").arg(name, path));
        });
    return true;
}

QString SceneManager::conflictingName(const QString& name) const {
    const std::string wanted = name.trimmed().toStdString();
    // The scene's own name in other letters is no other scene.
    const SceneEntry* there = find_scene(scenes_, wanted);
    return there == nullptr || same_name(wanted, work_.name()) ? QString()
                                                               : QString::fromStdString(there->scene.name);
}

/// `scene` under another name.
bool SceneManager::writeAs(Scene scene, const QString& name, const std::string& from, Replacing replacing) {
    const QString in_the_way = conflictingName(name);
    if (!in_the_way.isEmpty() && replacing == Replacing::no) {
        notices_.warn(
            tr("A scene named “%1” already exists. Choose another name, or recall that scene and save it.")
                .arg(in_the_way));
        return false;
    }
    scene.name = name.trimmed().toStdString();
    return write(scene, from.empty() ? scene.name : from, !in_the_way.isEmpty());
}

bool SceneManager::saveAs(const QString& name, Replacing replacing) {
    return writeAs(whole(), name, {}, replacing);
}

bool SceneManager::rename(const QString& name, Replacing replacing) {
    const std::string before = work_.name();
    if (name.trimmed().toStdString() == before) return true;
    // Unsaved changes stay unsaved.
    const Scene* there = find(before);
    return writeAs(there != nullptr ? *there : work_.scene(), name, there != nullptr ? before : std::string(),
                   replacing);
}

void SceneManager::remove(const std::string& name) {
    std::erase_if(scenes_, [&name](const SceneEntry& entry) { return same_name(entry.scene.name, name); });
    emit scenesChanged();
    ask([name](SceneFolder& disk) { return disk.library.remove(name); },
        [this, name](const Result<void>& removed) {
            if (!removed.ok()) return tell(removed.error());
            notices_.say(tr("Removed “%1”. The file was moved to %2")
                             .arg(QString::fromStdString(name), removedFolder()));
        });
}

// --- beside the sound ---

namespace {

Scene withAbout(Scene scene, const SceneManager::About& about) {
    scene.note = about.note.toStdString();
    scene.group = about.group.trimmed().left(static_cast<int>(kMaxSceneName)).toStdString();
    scene.colour = about.colour;
    scene.fade = std::clamp(about.fade, 0.0, kLongestFade);
    return scene;
}

}  // namespace

Scene SceneManager::whole() const {
    return withAbout(work_.scene(), about());
}

SceneManager::About SceneManager::about() const {
    const Scene* there = find(work_.name());  // what steps of undo lead back to may be older
    const Scene s = there != nullptr ? *there : work_.scene();
    return {QString::fromStdString(s.note), QString::fromStdString(s.group), s.colour, s.fade};
}

void SceneManager::setAbout(const About& about) {
    if (about == this->about()) return;
    work_.setAbout(withAbout(work_.scene(), about));
    if (const Scene* there = find(work_.name()); there != nullptr) amend(withAbout(*there, about));
}

void SceneManager::note(const std::map<std::string, ReferenceLevels>& made, const Scene& measured) {
    const auto with = [&made](Scene scene) {
        for (const auto& [strip, levels] : made) scene.made_for[strip] = levels;
        return scene;
    };
    const MixerSpec desk = without_transients(measured.desk);
    if (const Scene now = work_.scene(); now.name == measured.name && without_transients(now.desk) == desk)
        work_.setAbout(with(now));
    if (const Scene* there = find(measured.name); there != nullptr && there->desk == desk)
        amend(with(*there));
}

void SceneManager::noteSoundcheck(const std::string& strip, const SoundcheckRecord& record) {
    Scene now = work_.scene();
    now.soundchecks[strip] = record;
    work_.setAbout(now);
}

/// A saved scene whose sound is the same. One that another program has written meanwhile is left alone.
void SceneManager::amend(const Scene& scene) {
    const size_t known = put(scene, {});
    emit scenesChanged();
    ask([scene, known](SceneFolder& disk) -> Result<void> {
        if (disk.foreign(scene.name, known)) return {};
        const auto written = disk.write(scene, known, false);
        if (!written.ok()) return written.error();
        return {};
    });
}

void SceneManager::moveTo(const std::string& name, size_t to) {
    const auto moved =
        std::ranges::find_if(scenes_, [&name](const SceneEntry& entry) { return entry.scene.name == name; });
    if (moved == scenes_.end()) return;
    const auto there = scenes_.begin() + static_cast<std::ptrdiff_t>(std::min(to, scenes_.size() - 1));
    if (moved < there)
        std::rotate(moved, moved + 1, there + 1);
    else
        std::rotate(there, moved, moved + 1);
    std::vector<std::string> names;
    for (const auto& entry : scenes_) names.push_back(entry.scene.name);
    emit scenesChanged();
    ask([names](SceneFolder& disk) { return disk.library.set_order(names); });
}

// --- carried along ---

void SceneManager::exportTo(const QString& path, const std::vector<std::string>& names) {
    std::vector<Scene> scenes;
    const bool in_work = names.size() == 1 && names.front() == work_.name();
    if (in_work) scenes.push_back(whole());  // as it is heard, saved or not
    for (const auto& entry : scenes_) {
        if (in_work) break;
        if (names.empty() || std::ranges::find(names, entry.scene.name) != names.end())
            scenes.push_back(entry.scene);
    }
    const std::filesystem::path to = path.toStdString();
    const bool alone = scenes.size() == 1 && to.extension() == ".json";
    ask(
        [scenes, to, alone](SceneFolder&) {
            return alone ? write_file(to, write_scene(scenes.front())) : write_scene_archive(to, scenes);
        },
        [this, path](const Result<void>& written) {
            if (!written.ok()) return tell(written.error());
            notices_.say(tr("Exported to %1").arg(path));
        });
}

std::vector<Scene> SceneManager::read(const QString& path) {
    const std::filesystem::path from = path.toStdString();
    const QString file = QString::fromStdString(from.filename().string());
    if (from.extension() != ".zip") {
        SceneReading reading = load_scene(from.string());
        if (reading.scene) return {std::move(*reading.scene)};
        notices_.warn(QString::fromStdString(reading.problems.front().text(file.toStdString())));
        return {};
    }
    auto archive = read_scene_archive(from);
    if (!archive.ok()) {
        notices_.tell(archive.error());
        return {};
    }
    const auto& problems = archive.value().problems;
    if (!problems.empty())
        notices_.warn(problems.size() == 1 ? tr("1 file in %1 can't be imported: %2")
                                                 .arg(file, QString::fromStdString(problems.front().text()))
                                           : tr("%1 files in %2 can't be used. The first: %3")
                                                 .arg(problems.size())
                                                 .arg(file, QString::fromStdString(problems.front().text())));
    return std::move(archive.value().scenes);
}

QStringList SceneManager::clashes(const std::vector<Scene>& scenes) const {
    QStringList out;
    for (const Scene& s : scenes) {
        if (find_scene(scenes_, s.name) != nullptr) out << QString::fromStdString(s.name);
    }
    return out;
}

void SceneManager::takeIn(const std::vector<Scene>& scenes, ConflictPolicy clash) {
    ask(
        [scenes, clash](SceneFolder& disk) {
            auto names = disk.library.take_in(scenes, clash);
            if (names.ok()) disk.own(names.value());
            return names;
        },
        [this](const Result<std::vector<std::string>>& names) {
            if (!names.ok()) return tell(names.error());
            QStringList came;
            for (const std::string& name : names.value()) {
                if (!name.empty()) came << QStringLiteral("“%1”").arg(QString::fromStdString(name));
            }
            if (came.size() > 3)
                notices_.say(tr("Imported %1 scenes. Replaced scenes were moved to %2")
                                 .arg(came.size())
                                 .arg(removedFolder()));
            else if (!came.isEmpty())
                notices_.say(tr("Imported %1").arg(came.join(", ")));
            else
                notices_.say(tr("Nothing to import: all scenes already exist."));
        });
}

QString SceneManager::removedFolder() const {
    return QString::fromStdString((folder_ / "removed").string());
}

}  // namespace reed::ui
