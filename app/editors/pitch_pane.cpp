#include "editors/pitch_pane.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "editors/field_grid.h"
#include "editors/pitch_view.h"
#include "model/strips/strip_model.h"
#include "stages/pitch.h"
#include "widgets/words.h"

namespace reed::ui {

PitchPane::PitchPane(StripModel& strip, const StageRef& stage, QWidget* parent)
    : StagePane(strip, stage, parent) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(16);
    view_ = new PitchView(strip, stage, this);
    line->addWidget(view_, 6);
    grid_ = new FieldGrid(strip, stage, this);
    grid_->buildAll(6);
    auto* right = new QVBoxLayout;
    right->setSpacing(6);
    right->addWidget(grid_, 1);
    told_ = addWordsBelow(*right, this, "pitch_words");
    line->addLayout(right, 4);
    connect(&strip, &StripModel::readingsChanged, this, [this] {
        if (!isVisible() || ++ticks_ % 8 != 0) return;
        if (const QString words = view_->words(); words != told_->text()) told_->setText(words);
    });
    told_->setText(view_->words());
    refresh();
}

void PitchPane::refresh() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    grid_->refresh();
    // Notes are of no use to what does not snap to them.
    const bool snaps = s->values[kPitchSnap] > 0.0;
    for (const PitchIndex row : {kPitchScale, kPitchRoot, kPitchSpeed}) grid_->setRelevant(row, snaps);
}

}  // namespace reed::ui
