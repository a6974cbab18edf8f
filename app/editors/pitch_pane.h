// Editor of the pitch stage: pitch over time, and the values.
#pragma once

#include "editors/stage_pane.h"

namespace reed::ui {

class PitchView;
class Words;

class PitchPane final : public StagePane {
    Q_OBJECT
  public:
    PitchPane(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    void refresh() override;
    FieldGrid* fields() const override { return grid_; }

  private:
    PitchView* view_;
    FieldGrid* grid_;
    Words* told_;
    int ticks_ = 0;
};

}  // namespace reed::ui
