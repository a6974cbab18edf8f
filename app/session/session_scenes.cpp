// The scenes on disk: kept, recalled, and looked after while others write them too.
#include <algorithm>
#include <filesystem>

#include "base/folded.h"
#include "session/session.h"

namespace reed::ui {

bool Session::changed() const {
    for (const auto& entry : scenes_) {
        if (entry.scene.name == scene_.name) return !(entry.scene.chain == without_transients(scene_.chain));
    }
    return true;
}

std::vector<Difference> Session::changes() const {
    for (const auto& entry : scenes_) {
        if (entry.scene.name == scene_.name)
            return differences(entry.scene.chain, without_transients(scene_.chain));
    }
    return {};
}

void Session::reloadScenes() {
    SceneListing listing = library_.list();
    scenes_ = std::move(listing.scenes);
    if (listing.folder_problem) tell(*listing.folder_problem);
    for (const auto& e : listing.unreadable) {
        if (told_unreadable_.insert(e.text()).second)
            emit message(
                tr("A scene can't be read and was left alone: %1").arg(QString::fromStdString(e.text())),
                true);
    }
    watchScenes();
    emit scenesChanged();
}

/// The folder tells what comes and goes, each file what is written into it.
void Session::watchScenes() {
    QStringList wanted;
    if (std::error_code ec; std::filesystem::is_directory(library_.folder(), ec))
        wanted << QString::fromStdString(library_.folder().string());
    for (const auto& entry : scenes_) wanted << QString::fromStdString(entry.path.string());
    const QStringList watched = scene_files_.files() + scene_files_.directories();
    QStringList gone;
    for (const QString& path : watched) {
        if (!wanted.contains(path)) gone << path;
    }
    // A file that was replaced is another one under the same name, of which Qt takes leave by itself.
    for (const QString& path : watched) wanted.removeAll(path);
    if (!gone.isEmpty()) scene_files_.removePaths(gone);
    if (!wanted.isEmpty()) scene_files_.addPaths(wanted);
}

void Session::lookAtScenes() {
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
        watchScenes();
        return;
    }
    reloadScenes();
    const SceneEntry* known = find_scene(before, scene_.name);
    const SceneEntry* there = find_scene(scenes_, scene_.name);
    if (known == nullptr || there == nullptr || known->digest == there->digest) return;
    const QString name = QString::fromStdString(there->scene.name);
    if (there->scene.chain == without_transients(scene_.chain)) return;
    if (!was_changed) {
        change(Scene(there->scene), tr("%1, changed by another program").arg(name), {}, Fade::scene);
        emit scenesChanged();
        emit message(tr("\"%1\" was changed by another program and is heard as it is now. Ctrl+Z goes back.")
                         .arg(name),
                     false);
        return;
    }
    emit message(
        tr("\"%1\" was changed by another program. Yours is still heard and not saved; when you save it, the "
           "other one is kept in %2")
            .arg(name, removedFolder()),
        true);
    outside_ = name.toStdString();
}

void Session::recall(const std::string& name) {
    for (const auto& entry : scenes_) {
        if (entry.scene.name != name) continue;
        if (same_name(outside_, name)) outside_.clear();  // what is there is taken up
        change(entry.scene, tr("Recall %1").arg(QString::fromStdString(name)), {}, Fade::scene);
        emit scenesChanged();
        return;
    }
}

bool Session::saveScene() {
    // Another program, or another hand, may have written it meanwhile.
    const SceneListing now = library_.list();
    const SceneEntry* there = find_scene(now.scenes, scene_.name);
    const SceneEntry* known = find_scene(scenes_, scene_.name);
    const bool foreign = there != nullptr && (known == nullptr || known->digest != there->digest ||
                                              same_name(outside_, scene_.name));
    return writeScene(foreign ? SceneLibrary::Old::kept : SceneLibrary::Old::replaced);
}

bool Session::writeScene(SceneLibrary::Old old) {
    auto saved = library_.save(scene_, old);
    if (!saved.ok()) {
        tell(saved.error());
        return false;
    }
    if (same_name(outside_, scene_.name)) outside_.clear();
    reloadScenes();
    keepSoon();
    const QString text = old == SceneLibrary::Old::kept
                             ? tr("Saved \"%1\" in %2. The one that was there is kept in %3")
                             : tr("Saved \"%1\" in %2");
    const QString name = QString::fromStdString(scene_.name);
    const QString file = QString::fromStdString(saved.value().string());
    emit message(
        old == SceneLibrary::Old::kept ? text.arg(name, file, removedFolder()) : text.arg(name, file), false);
    return true;
}

QString Session::sceneInTheWay(const QString& name) const {
    const std::string wanted = name.trimmed().toStdString();
    // The scene's own name in other letters is no other scene.
    const SceneEntry* there = find_scene(scenes_, wanted);
    return there == nullptr || same_name(wanted, scene_.name) ? QString()
                                                              : QString::fromStdString(there->scene.name);
}

bool Session::saveSceneAs(const QString& name, Replacing replacing) {
    const QString in_the_way = sceneInTheWay(name);
    if (!in_the_way.isEmpty() && replacing == Replacing::no) {
        emit message(tr("There is already a scene \"%1\". Choose another name, or recall it and save.")
                         .arg(in_the_way),
                     true);
        return false;
    }
    const std::string before = scene_.name;
    scene_.name = name.trimmed().toStdString();
    if (in_the_way.isEmpty() ? saveScene() : writeScene(SceneLibrary::Old::kept)) return true;
    scene_.name = before;
    return false;
}

bool Session::renameScene(const QString& name, Replacing replacing) {
    const std::string before = scene_.name;
    if (name.trimmed().toStdString() == before) return true;
    Scene kept = scene_;
    for (const auto& entry : scenes_) {
        if (entry.scene.name == before) scene_.chain = entry.scene.chain;
    }
    const bool saved = saveSceneAs(name, replacing);
    scene_.chain = kept.chain;  // unsaved changes stay unsaved
    if (!saved) return false;
    if (same_name(before, scene_.name)) return true;  // written in place
    if (auto removed = library_.remove(before); !removed.ok()) tell(removed.error());
    reloadScenes();
    return true;
}

void Session::removeScene(const std::string& name) {
    if (auto removed = library_.remove(name); !removed.ok()) {
        tell(removed.error());
        return;
    }
    reloadScenes();
    emit message(
        tr("Removed \"%1\". Its file is kept in %2").arg(QString::fromStdString(name), removedFolder()),
        false);
}

QString Session::removedFolder() const {
    return QString::fromStdString((library_.folder() / "removed").string());
}

}  // namespace reed::ui
