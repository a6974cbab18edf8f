// The table of actions at work on one session.
#pragma once

#include <QObject>
#include <QStringList>

#include "actions/action_table.h"

class QAction;
class QMenu;

namespace reed::ui {

/// Runs actions by name, gives them their keys and their places in menus.
class Actions final : public QObject {
    Q_OBJECT
  public:
    /// Defines the session's keys.
    explicit Actions(Session& session, QObject* parent = nullptr);

    /// The strip that is worked on.
    Session& session() const { return session_.desk().current(); }
    /// Does `id`; empty when done, else why not, in plain words.
    QString run(const QString& id, const QString& argument = {});
    /// As run(), but what can't be done is told in the window.
    void act(const QString& id, const QString& argument = {});

    /// Keys, found by `word`.
    void openKeys(const QString& word = {}) { emit shortcutsRequested(word); }
    /// A key of its own for a scene, which stays with it wherever it stands in the list: opens the keys
    /// there.
    void openKeyOf(const QString& scene);

    /// What the argument `number` of a numbered action stands for now: a scene's or a stage's name; empty
    /// when there is none.
    QString nameOf(const QString& id, int number) const;

    /// Makes the keys of all actions work in `window`, but those that are held: the window asks
    /// holdSlotFor().
    void installKeys(QWidget* window);
    /// The slot of a held key that this is, with nothing else held; empty: none.
    QString holdSlotFor(int key, Qt::KeyboardModifiers with) const;
    /// The held key of a slot goes down or up.
    void hold(const QString& slot, bool down);
    /// Who held it has gone without letting it go. As if it had come up, but never opens the microphone.
    void ownerLost(const QString& slot);

    /// An entry that does `id`, with title, key and whether it can be done now.
    QAction* entry(QMenu* menu, const QString& id, const QString& argument = {});

  signals:
    // What only a window can do.
    void raiseRequested();
    /// The small window instead of this one, or back.
    void compactRequested();
    /// A scene by typing.
    void findSceneRequested();
    /// Takes in place of the diagram, or it again.
    void takesRequested();
    void quitRequested();
    void nameRequested();
    void shortcutsRequested(const QString& word);
    void charactersRequested();
    void balanceRequested();

  private:
    void defineKeys();
    void followScenes();
    Session& session_;   // the first strip's
    QStringList named_;  // scenes that have a key of their own, or may get one
    QString offered_;
};

/// What another program sent, as far as it is said back to it.
QString shortened(const QString& text);

}  // namespace reed::ui
