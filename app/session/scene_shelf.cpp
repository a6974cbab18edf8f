#include "session/scene_shelf.h"

#include <algorithm>
#include <filesystem>

#include "base/file.h"
#include "base/folded.h"
#include "scenes/scene_archive.h"

namespace reed::ui {

SceneShelf::SceneShelf(std::filesystem::path folder, SceneInWork& work, Notices& notices, QObject* parent)
    : QObject(parent), library_(std::move(folder)), work_(work), notices_(notices) {
    look_again_.setInterval(300);  // after the last news: a program that writes a scene may write it in parts
    look_again_.setSingleShot(true);
    connect(&look_again_, &QTimer::timeout, this, &SceneShelf::look);
    connect(&files_, &QFileSystemWatcher::directoryChanged, this, [this] { look_again_.start(); });
    connect(&files_, &QFileSystemWatcher::fileChanged, this, [this] { look_again_.start(); });
}

void SceneShelf::begin(const std::filesystem::path& demo) {
    if (auto filled = library_.fill_from(demo); !filled.ok()) notices_.tell(filled.error());
    reload();
}

const Scene* SceneShelf::find(const std::string& name) const {
    for (const auto& entry : scenes_) {
        if (entry.scene.name == name) return &entry.scene;
    }
    return nullptr;
}

bool SceneShelf::changed() const {
    const Scene* there = find(work_.name());
    return there == nullptr || !(there->desk == without_transients(work_.scene().desk));
}

std::vector<Difference> SceneShelf::changes() const {
    const Scene* there = find(work_.name());
    if (there == nullptr) return {};
    return differences(there->desk, without_transients(work_.scene().desk));
}

void SceneShelf::reload() {
    SceneListing listing = library_.list();
    scenes_ = std::move(listing.scenes);
    if (listing.folder_problem) notices_.tell(*listing.folder_problem);
    for (const auto& e : listing.unreadable) {
        if (told_unreadable_.insert(e.text()).second)
            notices_.warn(
                tr("A scene can't be read and was left alone: %1").arg(QString::fromStdString(e.text())));
    }
    watch();
    emit scenesChanged();
}

/// The folder tells what comes and goes, each file what is written into it.
void SceneShelf::watch() {
    QStringList wanted;
    if (std::error_code ec; std::filesystem::is_directory(library_.folder(), ec))
        wanted << QString::fromStdString(library_.folder().string());
    for (const auto& entry : scenes_) wanted << QString::fromStdString(entry.path.string());
    const QStringList watched = files_.files() + files_.directories();
    QStringList gone;
    for (const QString& path : watched) {
        if (!wanted.contains(path)) gone << path;
    }
    // A file that was replaced is another one under the same name, of which Qt takes leave by itself.
    for (const QString& path : watched) wanted.removeAll(path);
    if (!gone.isEmpty()) files_.removePaths(gone);
    if (!wanted.isEmpty()) files_.addPaths(wanted);
}

void SceneShelf::look() {
    const auto same = [](const SceneEntry& a, const SceneEntry& b) {
        return a.path == b.path && a.digest == b.digest;
    };
    const std::vector<SceneEntry> before = scenes_;
    const bool was_changed = changed();
    const SceneListing now = library_.list();
    // Perhaps it is still being written.
    if (!now.unreadable.empty() && ++looks_ < 4) {
        look_again_.start();
        return;
    }
    looks_ = 0;
    if (std::equal(before.begin(), before.end(), now.scenes.begin(), now.scenes.end(), same)) {
        watch();
        return;
    }
    reload();
    const SceneEntry* known = find_scene(before, work_.name());
    const SceneEntry* there = find_scene(scenes_, work_.name());
    if (known == nullptr || there == nullptr || known->digest == there->digest) return;
    const QString name = QString::fromStdString(there->scene.name);
    if (there->scene.desk == without_transients(work_.scene().desk)) return;
    if (!was_changed) {
        work_.adopt(there->scene, tr("%1, changed by another program").arg(name), Fade::scene);
        emit scenesChanged();
        notices_.say(tr("\"%1\" was changed by another program and is heard as it is now. Ctrl+Z goes back.")
                         .arg(name));
        return;
    }
    notices_.warn(
        tr("\"%1\" was changed by another program. Yours is still heard and not saved; when you save it, the "
           "other one is kept in %2")
            .arg(name, removedFolder()));
    outside_ = name.toStdString();
}

void SceneShelf::recall(const std::string& name) {
    for (const auto& entry : scenes_) {
        if (entry.scene.name != name) continue;
        if (same_name(outside_, name)) outside_.clear();  // what is there is taken up
        work_.adopt(entry.scene, tr("Recall %1").arg(QString::fromStdString(name)),
                    Fade::over(entry.scene.fade));
        emit scenesChanged();
        return;
    }
}

void SceneShelf::beginFrom(const Scene& scene) {
    Scene fresh = scene;
    for (int n = 2; find_scene(scenes_, fresh.name) != nullptr; ++n)
        fresh.name = scene.name + " " + std::to_string(n);
    work_.adopt(fresh, tr("Begin from %1").arg(QString::fromStdString(scene.name)), Fade::over(scene.fade));
    emit scenesChanged();
    notices_.say(tr("Not saved yet. %1").arg(QString::fromStdString(scene.note)));
}

void SceneShelf::bringBack(const EarlierState& state) {
    Scene scene = state.scene;
    scene.name = work_.name();
    work_.adopt(scene,
                tr("%1 as of %2").arg(QString::fromStdString(scene.name), QString::fromStdString(state.when)),
                Fade::scene);
    emit scenesChanged();
    notices_.say(
        tr("It is heard as it was until %1, and not saved.").arg(QString::fromStdString(state.when)));
}

/// What becomes of the file a scene of this name is written over: another program, or another hand, may have
/// written it meanwhile.
SceneLibrary::Old SceneShelf::oldOf(const std::string& name) const {
    const SceneListing now = library_.list();
    const SceneEntry* there = find_scene(now.scenes, name);
    const SceneEntry* known = find_scene(scenes_, name);
    const bool foreign =
        there != nullptr && (known == nullptr || known->digest != there->digest || same_name(outside_, name));
    return foreign ? SceneLibrary::Old::kept : SceneLibrary::Old::replaced;
}

bool SceneShelf::save() {
    return write(whole(), oldOf(work_.name()));
}

/// Writes `scene`, whose name the one in work has from then on.
bool SceneShelf::write(const Scene& scene, SceneLibrary::Old old) {
    auto file = library_.save(scene, old);
    if (!file.ok()) {
        notices_.tell(file.error());
        return false;
    }
    if (same_name(outside_, scene.name)) outside_.clear();
    const QString name = QString::fromStdString(scene.name);
    if (scene.name != work_.name()) work_.setName(scene.name);
    reload();
    emit saved();
    const QString path = QString::fromStdString(file.value().string());
    notices_.say(
        old == SceneLibrary::Old::kept
            ? tr("Saved \"%1\" in %2. The one that was there is kept in %3").arg(name, path, removedFolder())
            : tr("Saved \"%1\" in %2").arg(name, path));
    return true;
}

QString SceneShelf::inTheWay(const QString& name) const {
    const std::string wanted = name.trimmed().toStdString();
    // The scene's own name in other letters is no other scene.
    const SceneEntry* there = find_scene(scenes_, wanted);
    return there == nullptr || same_name(wanted, work_.name()) ? QString()
                                                               : QString::fromStdString(there->scene.name);
}

/// `scene` under another name.
bool SceneShelf::writeAs(Scene scene, const QString& name, Replacing replacing) {
    const QString in_the_way = inTheWay(name);
    if (!in_the_way.isEmpty() && replacing == Replacing::no) {
        notices_.warn(tr("There is already a scene \"%1\". Choose another name, or recall it and save.")
                          .arg(in_the_way));
        return false;
    }
    scene.name = name.trimmed().toStdString();
    return write(scene, in_the_way.isEmpty() ? oldOf(scene.name) : SceneLibrary::Old::kept);
}

bool SceneShelf::saveAs(const QString& name, Replacing replacing) {
    return writeAs(whole(), name, replacing);
}

bool SceneShelf::rename(const QString& name, Replacing replacing) {
    const std::string before = work_.name();
    if (name.trimmed().toStdString() == before) return true;
    // Unsaved changes stay unsaved.
    const Scene* there = find(before);
    if (!writeAs(there != nullptr ? *there : work_.scene(), name, replacing)) return false;
    if (same_name(before, work_.name())) return true;  // written in place
    if (auto removed = library_.remove(before); !removed.ok()) notices_.tell(removed.error());
    library_.renamed(before, work_.name());
    reload();
    return true;
}

void SceneShelf::remove(const std::string& name) {
    if (auto removed = library_.remove(name); !removed.ok()) {
        notices_.tell(removed.error());
        return;
    }
    reload();
    notices_.say(
        tr("Removed \"%1\". Its file is kept in %2").arg(QString::fromStdString(name), removedFolder()));
}

// --- beside the sound ---

namespace {

Scene withAbout(Scene scene, const SceneShelf::About& about) {
    scene.note = about.note.toStdString();
    scene.group = about.group.trimmed().left(static_cast<int>(kMaxSceneName)).toStdString();
    scene.colour = about.colour;
    scene.fade = std::clamp(about.fade, 0.0, kLongestFade);
    return scene;
}

}  // namespace

Scene SceneShelf::whole() const {
    return withAbout(work_.scene(), about());
}

SceneShelf::About SceneShelf::about() const {
    const Scene* there = find(work_.name());  // what steps of undo lead back to may be older
    const Scene s = there != nullptr ? *there : work_.scene();
    return {QString::fromStdString(s.note), QString::fromStdString(s.group), s.colour, s.fade};
}

void SceneShelf::setAbout(const About& about) {
    if (about == this->about()) return;
    work_.setAbout(withAbout(work_.scene(), about));
    if (const Scene* there = find(work_.name()); there != nullptr) (void)writeAbout(withAbout(*there, about));
}

void SceneShelf::note(const std::map<std::string, MadeFor>& made, const Scene& measured) {
    const auto with = [&made](Scene scene) {
        for (const auto& [strip, levels] : made) scene.made_for[strip] = levels;
        return scene;
    };
    const DeskSpec desk = without_transients(measured.desk);
    if (const Scene now = work_.scene(); now.name == measured.name && without_transients(now.desk) == desk)
        work_.setAbout(with(now));
    if (const Scene* there = find(measured.name); there != nullptr && there->desk == desk)
        (void)writeAbout(with(*there));
}

/// A saved scene whose sound is the same.
bool SceneShelf::writeAbout(const Scene& scene) {
    // One that was changed by another program meanwhile is left to look().
    if (oldOf(scene.name) == SceneLibrary::Old::kept) return false;
    const auto file = library_.save(scene);
    if (!file.ok()) notices_.tell(file.error());
    reload();
    return file.ok();
}

void SceneShelf::moveTo(const std::string& name, size_t to) {
    std::vector<std::string> names;
    for (const auto& entry : scenes_) {
        if (entry.scene.name != name) names.push_back(entry.scene.name);
    }
    if (names.size() == scenes_.size()) return;
    names.insert(names.begin() + static_cast<std::ptrdiff_t>(std::min(to, names.size())), name);
    if (const auto kept = library_.set_order(names); !kept.ok()) notices_.tell(kept.error());
    reload();
}

// --- carried along ---

bool SceneShelf::exportTo(const QString& path, const std::vector<std::string>& names) {
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
    const auto written =
        alone ? write_file(to, write_scene(scenes.front())) : write_scene_archive(to, scenes);
    if (!written.ok())
        notices_.tell(written.error());
    else
        notices_.say(tr("Written to %1").arg(path));
    return written.ok();
}

std::vector<Scene> SceneShelf::read(const QString& path) {
    const std::filesystem::path from = path.toStdString();
    const QString file = QString::fromStdString(from.filename().string());
    if (from.extension() != ".zip") {
        SceneReading reading = load_scene(from.string());
        if (reading.scene) return {std::move(*reading.scene)};
        notices_.warn(file + ": " + QString::fromStdString(reading.problems.front().text()));
        return {};
    }
    auto archive = read_scene_archive(from);
    if (!archive.ok()) {
        notices_.tell(archive.error());
        return {};
    }
    const auto& problems = archive.value().problems;
    if (!problems.empty())
        notices_.warn(problems.size() == 1 ? tr("One file in %1 can't be used: %2")
                                                 .arg(file, QString::fromStdString(problems.front().text()))
                                           : tr("%1 files in %2 can't be used. The first: %3")
                                                 .arg(problems.size())
                                                 .arg(file, QString::fromStdString(problems.front().text())));
    return std::move(archive.value().scenes);
}

QStringList SceneShelf::clashes(const std::vector<Scene>& scenes) const {
    QStringList out;
    for (const Scene& s : scenes) {
        if (find_scene(scenes_, s.name) != nullptr) out << QString::fromStdString(s.name);
    }
    return out;
}

bool SceneShelf::takeIn(const std::vector<Scene>& scenes, Clash clash) {
    const auto names = library_.take_in(scenes, clash);
    reload();
    if (!names.ok()) {
        notices_.tell(names.error());
        return false;
    }
    QStringList came;
    for (const std::string& name : names.value()) {
        if (!name.empty()) came << '"' + QString::fromStdString(name) + '"';
    }
    if (came.size() > 3)
        notices_.say(
            tr("%1 scenes came in. What they replaced is kept in %2").arg(came.size()).arg(removedFolder()));
    else if (!came.isEmpty())
        notices_.say(tr("Came in: %1").arg(came.join(", ")));
    else
        notices_.say(tr("Nothing new came in."));
    return true;
}

QString SceneShelf::removedFolder() const {
    return QString::fromStdString((library_.folder() / "removed").string());
}

}  // namespace reed::ui
