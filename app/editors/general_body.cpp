#include "editors/general_body.h"

#include <QHBoxLayout>

#include "editors/field_grid.h"
#include "editors/time_view.h"
#include "session/session.h"

namespace reed::ui {

GeneralBody::GeneralBody(Session& session, QWidget* parent) : StageBody(parent) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(16);
    line->addWidget(new TimeView(session, this), 5);
    grid_ = new FieldGrid(session, this);
    grid_->buildAll(6);
    line->addWidget(grid_, grid_->columns() == 2 ? 7 : 4);
}

void GeneralBody::refresh() {
    grid_->refresh();
}

}  // namespace reed::ui
