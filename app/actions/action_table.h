// Everything that can be done by a key, a menu, another program: one table.
#pragma once

#include <QString>
#include <span>

#include "session/session.h"

namespace reed::ui {

class Actions;

/// What an action is told besides its name.
enum class Argument {
    none,
    on_off,
    scene,
    stage,
    source,
    value,
    notches,
    theme,
    strip,
    strip_stage,
    level,
    place,
    character
};

/// A row of the table.
struct Action {
    const char* id;  ///< for `--send`, D-Bus and stored shortcuts
    /// The id of earlier versions, still accepted; shortcuts stored under it are migrated.
    const char* formerly = "";
    const char* title;  ///< what it does; translatable. Of a numbered one: of each number ("%1")
    const char* group;  ///< heading in the overview of keys; translatable
    Argument argument = Argument::none;
    /// Usual keys as portable text, ";" between them; of a numbered one with "%1", of characters for the
    /// first nine that came with the program.
    const char* keys = "";
    int numbered = 0;         ///< so many slots for keys, for the arguments "1", "2", ...
    bool held = false;        ///< argument on_off: "on" while its key is down
    bool written = false;     ///< done only when it stands on the disk: another program is answered then
    bool everywhere = false;  ///< of use while another window has the keyboard
    /// Does it. Empty when done, else why not, in plain words. The argument may be anything at all.
    QString (*run)(Actions&, const QString& argument) = nullptr;
    /// Whether it can be done now; nullptr: always.
    bool (*possible)(const Session&) = nullptr;
    /// The title for now ("Undo: Gate, hold"); nullptr: as in the table.
    QString (*now)(const Session&) = nullptr;
};

std::span<const Action> action_table();
const Action* find_action(const QString& id);
/// "scene NAME", as `--send` wants it.
QString usage(const Action& action);

}  // namespace reed::ui
