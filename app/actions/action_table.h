// The table of actions that shortcuts, menus, D-Bus and `--send` run.
#pragma once

#include <QString>
#include <span>

#include "model/app_model.h"

namespace reed::ui {

class Actions;

/// Argument of an action.
enum class Argument {
    none,
    on_off,
    scene,
    stage,
    source,
    value,
    position,
    steps,
    theme,
    strip,
    strip_stage,
    level,
    milliseconds,
    place,
    character
};

/// An action.
struct Action {
    const char* id;  ///< for `--send`, D-Bus and stored shortcuts
    /// The id of earlier versions, still accepted; shortcuts stored under it are migrated.
    const char* formerly = "";
    const char* title;  ///< title; translatable. Numbered actions have "%1"
    const char* group;  ///< heading in the list of shortcuts; translatable
    Argument argument = Argument::none;
    /// Default shortcuts as portable text, ";" between them; with "%1" for numbered actions and for the first
    /// nine included characters.
    const char* keys = "";
    int numbered = 0;         ///< number of shortcut slots, for the arguments "1", "2", ...
    bool held = false;        ///< press and hold: argument "on" while the shortcut is pressed
    bool written = false;     ///< completes when it is on the disk; remote callers are answered then
    bool everywhere = false;  ///< offered as a global shortcut
    bool absolute = false;    ///< sets a value: of several in a row for one target only the last one counts
    /// Runs it; returns an empty text, or why it is not possible. The argument may be any text.
    QString (*run)(Actions&, const QString& argument) = nullptr;
    /// Whether it is possible now; nullptr: always.
    bool (*possible)(const AppModel&) = nullptr;
    /// Current title ("Undo: Gate, hold"); nullptr: as in the table.
    QString (*now)(const AppModel&) = nullptr;
    /// Whether it is on now, as lamps of controllers show it; nullptr: it has no such state.
    bool (*state)(AppModel&, const QString& argument) = nullptr;
};

std::span<const Action> action_table();
const Action* find_action(const QString& id);
/// Usage text for `--send`: "scene NAME".
QString usage(const Action& action);

}  // namespace reed::ui
