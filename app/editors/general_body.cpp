#include "editors/general_body.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "editors/field_grid.h"
#include "editors/time_view.h"
#include "editors/trail_view.h"
#include "session/session.h"
#include "theme/theme.h"
#include "widgets/words.h"

namespace reed::ui {

GeneralBody::GeneralBody(Session& session, const StageRef& stage, QWidget* parent)
    : StageBody(session, stage, parent) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(16);
    auto* pictures = new QVBoxLayout;
    pictures->setSpacing(6);
    pictures->addWidget(new TimeView(session, stage, this), 3);
    if (const StageSpec* s = stage.spec(); s != nullptr && TrailView::fits(s->stage_kind()))
        pictures->addWidget(new TrailView(session, stage, this), 2);
    line->addLayout(pictures, 5);
    grid_ = new FieldGrid(session, stage, this);
    grid_->buildAll(6);
    auto* right = new QVBoxLayout;
    right->setSpacing(6);
    right->addWidget(grid_, 1);
    told_ = addWordsBelow(*right, this, "readouts");
    line->addLayout(right, grid_->columns() == 2 ? 7 : 4);
    connect(&session, &Session::readingsChanged, this, [this] {
        if (isVisible() && ++ticks_ % 3 == 0) showReadouts();
    });
    showReadouts();
}

void GeneralBody::showReadouts() {
    const QString words = grid_->showReadouts();
    if (words != told_->text()) told_->setText(words);
    told_->setVisible(!words.isEmpty());
}

void GeneralBody::refresh() {
    grid_->refresh();
}

}  // namespace reed::ui
