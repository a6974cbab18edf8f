#include "editors/general_pane.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "editors/field_grid.h"
#include "editors/level_history_view.h"
#include "editors/readout_history_view.h"
#include "editors/spectrum_view.h"
#include "model/strips/strip_model.h"
#include "theme/theme.h"
#include "widgets/words.h"

namespace reed::ui {

GeneralPane::GeneralPane(StripModel& strip, const StageRef& stage, QWidget* parent)
    : StagePane(strip, stage, parent) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(16);
    grid_ = new FieldGrid(strip, stage, this);
    grid_->buildAll(6);
    const StageSpec* s = stage.spec();
    const bool trail = s != nullptr && ReadoutHistoryView::fits(s->stage_kind());
    // One column of fields leaves room for a second picture beside the first.
    auto* pictures = new QBoxLayout(trail ? QBoxLayout::TopToBottom : QBoxLayout::LeftToRight);
    pictures->setSpacing(trail ? 6 : 14);
    pictures->addWidget(new LevelHistoryView(strip, stage, this), 3);
    if (trail)
        pictures->addWidget(new ReadoutHistoryView(strip, stage, this), 2);
    else if (grid_->columns() == 1)
        pictures->addWidget(new SpectrumView(strip, this), 3);
    line->addLayout(pictures, trail || grid_->columns() == 2 ? 5 : 8);
    auto* right = new QVBoxLayout;
    right->setSpacing(6);
    right->addWidget(grid_, 1);
    told_ = addWordsBelow(*right, this, "readouts");
    line->addLayout(right, grid_->columns() == 2 ? 7 : 4);
    connect(&strip, &StripModel::readingsChanged, this, [this] {
        if (isVisible() && ++ticks_ % 3 == 0) showReadouts();
    });
    showReadouts();
}

void GeneralPane::showReadouts() {
    const QString words = grid_->showReadouts();
    if (words != told_->text()) told_->setText(words);
    told_->setVisible(!words.isEmpty());
}

void GeneralPane::refresh() {
    grid_->refresh();
}

}  // namespace reed::ui
