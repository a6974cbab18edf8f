// Editor of gate, expander, compressor and limiter: transfer curve, ballistics, level history, values.
#pragma once

#include "editors/stage_pane.h"

namespace reed::ui {

class DynamicsPane final : public StagePane {
    Q_OBJECT
  public:
    DynamicsPane(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    void refresh() override;
    FieldGrid* fields() const override { return grid_; }

  private:
    FieldGrid* grid_;
};

}  // namespace reed::ui
