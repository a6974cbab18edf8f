// The main menu.
#pragma once

#include <QMenu>

namespace reed::ui {

class Actions;

class MainMenu final : public QMenu {
    Q_OBJECT
  public:
    explicit MainMenu(Actions& actions, QWidget* parent = nullptr);

  signals:
    void adviceWanted();
    void desktopKeysWanted();
    void quitWithoutMicrophoneWanted();

  private:
    void addStrips();
    void addLevels();
    void addKeys();
    void addLook();

    Actions& actions_;
};

}  // namespace reed::ui
