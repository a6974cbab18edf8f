// General editor of a stage: spectrum or level history, and all values.
#pragma once

#include "editors/stage_pane.h"

namespace reed::ui {

class Words;

class GeneralPane final : public StagePane {
    Q_OBJECT
  public:
    GeneralPane(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    void refresh() override;
    FieldGrid* fields() const override { return grid_; }

  private:
    void showReadouts();
    FieldGrid* grid_;
    Words* told_;
    int ticks_ = 0;
};

}  // namespace reed::ui
