// What the person keeps under a name beside the scenes: recipes, characters.
#pragma once

#include <QString>

#include "model/shared/notifications.h"
#include "scenes/library.h"

namespace reed::ui {

/// Saves one; what it replaces stays in "removed". Tells `done` ("Kept %1 in %2": name and file), or why not.
inline bool savePresetFile(const SceneLibrary& among, Notifications& notices, const Scene& kept,
                           const QString& done) {
    const auto saved = among.save(kept, SceneLibrary::Old::kept);
    if (!saved.ok()) {
        notices.tell(saved.error());
        return false;
    }
    notices.say(done.arg(QString::fromStdString(kept.name), QString::fromStdString(saved.value().string())));
    return true;
}

/// Moves one to "removed". Tells `done` ("Removed %1, kept in %2": name and folder), or why not.
inline bool removeFile(const SceneLibrary& among, Notifications& notices, const QString& name,
                       const QString& done) {
    if (const auto removed = among.remove(name.toStdString()); !removed.ok()) {
        notices.tell(removed.error());
        return false;
    }
    notices.say(done.arg(name, QString::fromStdString((among.folder() / "removed").string())));
    return true;
}

}  // namespace reed::ui
