// The tray icon.
#pragma once

#include <QMenu>
#include <QObject>
#include <QSystemTrayIcon>

namespace reed::ui {

class Actions;
class AppModel;

/// Shows whether the microphone is muted. Click: show the window. Its menu mutes, recalls scenes and quits.
/// Has no effect if the desktop has no tray.
class Tray final : public QObject {
    Q_OBJECT
  public:
    explicit Tray(Actions& actions);
    QSystemTrayIcon& icon() { return icon_; }
    QMenu& menu() { return menu_; }
    /// Icon of a state: slashed and in another colour while muted.
    static QIcon picture(bool muted);

  private:
    void refresh();
    Actions& actions_;
    AppModel& app_;
    QSystemTrayIcon icon_;
    QMenu menu_;
};

}  // namespace reed::ui
