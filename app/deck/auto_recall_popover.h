// The auto-recall rules of the current scene.
#pragma once

#include <QGridLayout>

#include "widgets/panel.h"

namespace reed::ui {

class FlatButton;
class AutoRecallRules;
class AppModel;

/// Lists the rules and offers new ones for the apps and devices that are present. Changes are stored at once.
class AutoRecallPopover final : public Panel {
    Q_OBJECT
  public:
    AutoRecallPopover(AppModel& app, QWidget* parent = nullptr);

  private:
    void rebuild();
    void openPrograms();
    void openDevices();
    AppModel& app_;
    AutoRecallRules& rules_;
    std::string scene_;
    QGridLayout* rows_;
    Words* none_;
    FlatButton *program_, *device_;
};

}  // namespace reed::ui
