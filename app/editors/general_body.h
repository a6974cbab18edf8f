// Editor for kinds without one of their own: the last seconds, and every value.
#pragma once

#include "editors/stage_body.h"

namespace reed::ui {

class Words;

class GeneralBody final : public StageBody {
    Q_OBJECT
  public:
    GeneralBody(Session& session, const StageRef& stage, QWidget* parent = nullptr);
    void refresh() override;
    FieldGrid* fields() const override { return grid_; }

  private:
    void showReadouts();
    FieldGrid* grid_;
    Words* told_;
    int ticks_ = 0;
};

}  // namespace reed::ui
