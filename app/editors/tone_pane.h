// Editor of the tone stage: the spectrum with its two handles, and the values.
#pragma once

#include "editors/stage_pane.h"

namespace reed::ui {

class ToneCurve;
class Words;

class TonePane final : public StagePane {
    Q_OBJECT
  public:
    TonePane(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    void refresh() override;
    FieldGrid* fields() const override { return grid_; }

  private:
    void openAsEqualizer();
    ToneCurve* curve_;
    FieldGrid* grid_;
    Words* told_;
    int ticks_ = 0;
};

}  // namespace reed::ui
