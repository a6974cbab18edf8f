// Menu of the presets for the selected stage.
#pragma once

#include <QMenu>
#include <string>

#include "widgets/panel.h"

class QLineEdit;

namespace reed::ui {

class StagePresets;
class StripModel;

/// Loads a preset, saves the settings as one, removes one of the user's.
class PresetMenu final : public QMenu {
    Q_OBJECT
  public:
    PresetMenu(StagePresets& presets, StripModel& strip, const std::string& stage, QWidget* parent = nullptr);

  signals:
    void keepWanted();
};

/// Asks for name and description of a preset; Enter saves it.
class SavePresetPopover final : public Panel {
    Q_OBJECT
  public:
    SavePresetPopover(StagePresets& presets, StripModel& strip, const std::string& stage,
                      QWidget* parent = nullptr);

  private:
    void keep();
    StagePresets& presets_;
    StripModel& strip_;
    std::string stage_;
    QLineEdit *name_, *note_;
};

}  // namespace reed::ui
