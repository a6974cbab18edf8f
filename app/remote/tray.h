// The sign in the desktop's tray: whether it is muted, and the way back to the window.
#pragma once

#include <QMenu>
#include <QObject>
#include <QSystemTrayIcon>

namespace reed::ui {

class Actions;
class AppModel;

/// Click: shows the window; its menu mutes, recalls scenes and quits. Does nothing where there is no tray.
class Tray final : public QObject {
    Q_OBJECT
  public:
    explicit Tray(Actions& actions);
    QSystemTrayIcon& icon() { return icon_; }
    QMenu& menu() { return menu_; }
    /// The sign for a state: a slash and another colour while muted.
    static QIcon picture(bool muted);

  private:
    void refresh();
    Actions& actions_;
    AppModel& app_;
    QSystemTrayIcon icon_;
    QMenu menu_;
};

}  // namespace reed::ui
