// Runs the actions of the table.
#pragma once

#include <QObject>
#include <QStringList>
#include <optional>

#include "actions/action_table.h"

class QAction;
class QMenu;

namespace reed::ui {

/// Runs actions by id and connects them to shortcuts and menus.
class Actions final : public QObject {
    Q_OBJECT
  public:
    /// Defines the shortcuts.
    explicit Actions(AppModel& app, QObject* parent = nullptr);

    AppModel& app() const { return app_; }
    /// The selected strip.
    StripModel& strip() const { return app_.mixer().current(); }
    /// Runs action `id`; returns an empty text, or why it is not possible.
    QString run(const QString& id, const QString& argument = {});
    /// As run(), but notifies the user about errors.
    void act(const QString& id, const QString& argument = {});

    /// Opens the shortcuts, filtered by `word`.
    void openKeys(const QString& word = {}) { emit shortcutsRequested(word); }
    /// Offers a shortcut that stays with this scene, and opens the shortcuts there.
    void openKeyOf(const QString& scene);

    /// Name of the scene, stage or strip that the argument `number` refers to now; empty if none.
    QString nameOf(const QString& id, int number) const;

    /// Installs all shortcuts in `window`, except press-and-hold ones and mouse buttons, which HoldShortcuts
    /// detects.
    void installKeys(QWidget* window);
    /// Slot of a press-and-hold shortcut; empty if none.
    QString holdSlotFor(int key, Qt::KeyboardModifiers with) const { return slotFor(key, with, true); }
    /// Slot of any other shortcut that is an extra mouse button; empty if none.
    QString mouseSlotFor(int key, Qt::KeyboardModifiers with) const { return slotFor(key, with, false); }
    /// Presses or releases the shortcut of a slot.
    void hold(const QString& slot, bool down);
    /// The holder is gone: as a release, but never unmutes the microphone.
    void ownerLost(const QString& slot);

    /// Whether the action of a slot is on (mute, the scene that is current, a character, ...); nothing if it
    /// has no such state, or does not exist.
    std::optional<bool> stateOf(const QString& slot) const;

    /// Adds a menu entry for `id` with title, shortcut and enabled state.
    QAction* entry(QMenu* menu, const QString& id, const QString& argument = {});

  signals:
    /// An action was run, from wherever; `why` is empty, or the reason why it was not possible.
    void ran(const QString& id, const QString& argument, const QString& why);
    // Requests to the window.
    void raiseRequested();
    /// Toggle the compact window.
    void compactRequested();
    /// Open the scene finder.
    void findSceneRequested();
    /// Show takes or the diagram.
    void takesRequested();
    void soundcheckRequested();
    void quitRequested();
    void nameRequested();
    void shortcutsRequested(const QString& word);
    void charactersRequested();
    void balanceRequested();

  private:
    QString slotFor(int key, Qt::KeyboardModifiers with, bool held) const;
    void defineKeys();
    void followScenes();
    AppModel& app_;
    QStringList named_;  // scenes that have a shortcut or MIDI control of their own, or are offered one
    QString offered_;
};

/// Text of another app, shortened for messages.
QString shortened(const QString& text);

}  // namespace reed::ui
