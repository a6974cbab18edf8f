// Press-and-hold shortcuts, and those of extra mouse buttons.
#pragma once

#include <QObject>
#include <functional>
#include <map>

namespace reed::ui {

class Actions;

/// Detects them in all windows of the program, except while shortcuts are edited. Several can be held at
/// once. When a window loses the keyboard focus, all are released, because their release would not be seen.
class HoldShortcuts final : public QObject {
    Q_OBJECT
  public:
    /// `ours`: whether an object is a window of the program that counts for the focus.
    HoldShortcuts(Actions& actions, std::function<bool(const QObject*)> ours);

    /// Releases all that are held.
    void letGo();

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    bool pressMouse(int button, Qt::KeyboardModifiers with);
    bool release(int key);
    Actions& actions_;
    std::function<bool(const QObject*)> ours_;
    std::map<int, QString> held_;  // slot by key, as it was when the key was pressed
};

}  // namespace reed::ui
