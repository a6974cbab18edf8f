// What recalls the scene in work by itself.
#pragma once

#include <QGridLayout>

#include "widgets/panel.h"

namespace reed::ui {

class FlatButton;
class AutoRecallRules;
class AppModel;

/// Opens from the scene menu: its rules, and new ones by what plays and is there now. What is changed is kept
/// at once.
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
