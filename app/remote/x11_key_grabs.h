// Keys and mouse buttons grabbed on an X server.
#pragma once

#include <QByteArray>
#include <QKeySequence>
#include <QObject>
#include <QTimer>
#include <map>
#include <memory>
#include <vector>

namespace reed::ui {

/// Grabs keys and extra mouse buttons on the root window, so that other programs do not receive them, and
/// reports their press and release, whichever program has the keyboard, also while one has grabbed it. Caps
/// Lock, Num Lock and Scroll Lock do not matter; a press is reported once, however long the key is held.
///
/// Uses two connections of its own. Press and release are read from raw events (XInput 2), which the X server
/// sends for every key (button) while at least one is grabbed; all others are discarded. Sources: X Window
/// System Protocol, X Version 11 (GrabKey, GrabButton); The X Input Extension 2.x. GUI thread only.
class X11KeyGrabs final : public QObject {
    Q_OBJECT
  public:
    /// `display`: as in $DISPLAY. Returns nullptr if there is no such X server or it lacks XInput 2.1.
    static std::unique_ptr<X11KeyGrabs> open(const QByteArray& display);
    ~X11KeyGrabs() override;

    struct Wanted {
        QString slot;
        QKeySequence key;  ///< one combination of modifiers and a key, or a mouse button (mouseKey())
    };
    /// Replaces all grabs. Returns why a slot could not be grabbed, by slot; a slot with several keys is
    /// grabbed with all of them or none. dropped() follows for keys that are held and no longer grabbed.
    std::map<QString, QString> grab(const std::vector<Wanted>& wanted);

  signals:
    void pressed(const QString& slot);
    void released(const QString& slot);
    /// The key is held, but its release will not be reported.
    void dropped(const QString& slot);
    /// The layout of the keyboard changed: grab again.
    void layoutChanged();
    /// The X server closed the connection.
    void lost();

  private:
    struct State;
    explicit X11KeyGrabs(std::unique_ptr<State> state);
    void read();
    std::unique_ptr<State> x_;
    QTimer read_later_;
};

}  // namespace reed::ui
