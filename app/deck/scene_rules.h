// What recalls the scene in work by itself.
#pragma once

#include <QGridLayout>

#include "widgets/panel.h"

namespace reed::ui {

class FlatButton;
class RecallRules;
class Session;

/// Opens from the scene menu: its rules, and new ones by what plays and is there now. What is changed is kept
/// at once.
class SceneRules final : public Panel {
    Q_OBJECT
  public:
    SceneRules(Session& session, QWidget* parent = nullptr);

  private:
    void rebuild();
    void openPrograms();
    void openDevices();
    Session& session_;
    RecallRules& rules_;
    std::string scene_;
    QGridLayout* rows_;
    Words* none_;
    FlatButton *program_, *device_;
};

}  // namespace reed::ui
