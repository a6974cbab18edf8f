#include "editors/dynamics_pane.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "editors/ballistics_view.h"
#include "editors/field_grid.h"
#include "editors/level_history_view.h"
#include "editors/transfer_view.h"
#include "model/strips/strip_model.h"

namespace reed::ui {

DynamicsPane::DynamicsPane(StripModel& strip, const StageRef& stage, QWidget* parent)
    : StagePane(strip, stage, parent) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(12);
    auto* curves = new QVBoxLayout;
    curves->setSpacing(6);
    curves->addWidget(new TransferView(strip, stage, this), 5);
    curves->addWidget(new BallisticsView(strip, stage, this), 2);
    line->addLayout(curves, 4);
    line->addWidget(new LevelHistoryView(strip, stage, this), 4);
    grid_ = new FieldGrid(strip, stage, this);
    grid_->buildAll(7);
    line->addWidget(grid_, grid_->columns() == 2 ? 8 : 4);
}

void DynamicsPane::refresh() {
    grid_->refresh();
}

}  // namespace reed::ui
