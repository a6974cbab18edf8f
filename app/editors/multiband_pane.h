// Editor of the multiband compressor: the bands, and the values of the selected one.
#pragma once

#include "editors/stage_pane.h"

namespace reed::ui {

class FlatButton;
class MultibandView;
class Words;

class MultibandPane final : public StagePane {
    Q_OBJECT
  public:
    MultibandPane(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    void refresh() override;
    FieldGrid* fields() const override { return grid_; }

  private:
    void showRange(int range);

    MultibandView* view_;
    FieldGrid* grid_;
    Words* name_;
    Words* told_;
    FlatButton* listen_;
    int count_ = 0, ticks_ = 0;
};

}  // namespace reed::ui
