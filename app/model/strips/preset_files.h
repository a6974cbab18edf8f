// Files of presets and characters in folders beside the scenes.
#pragma once

#include <QString>

#include "model/shared/notifications.h"
#include "scenes/library.h"

namespace reed::ui {

/// Saves a file; the file that it replaces is moved to "removed". Posts `done` with name (%1) and path (%2),
/// or the error; false then.
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

/// Moves a file to "removed". Posts `done` with name (%1) and folder (%2), or the error; false then.
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
