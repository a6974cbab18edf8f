#include "editors/multiband_pane.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "editors/field_grid.h"
#include "editors/multiband_view.h"
#include "model/strips/strip_model.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {

MultibandPane::MultibandPane(StripModel& strip, const StageRef& stage, QWidget* parent)
    : StagePane(strip, stage, parent) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(16);
    view_ = new MultibandView(strip_, stage, this);
    line->addWidget(view_, 1);
    auto* side = new QWidget(this);
    side->setFixedWidth(360);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(6, 0, 0, 0);
    name_ = new Words(Words::Ink::text, side);
    name_->setObjectName("range_name");
    name_->setFont(ui::font(14, true));
    listen_ = new FlatButton(tr("Solo"), side);
    listen_->setObjectName("listen_button");
    listen_->setCheckable(true);
    listen_->setWeight(FlatButton::Weight::raised);
    setHint(
        listen_,
        tr("Play this band alone, before compression. Your audience hears this too until you turn it off."));
    connect(listen_, &FlatButton::clicked, this,
            [this](bool on) { stage_.set(kRangeListen, on ? view_->range() + 1 : 0); });
    head->addWidget(name_, 1);
    head->addWidget(listen_);
    column->addLayout(head);
    grid_ = new FieldGrid(strip_, stage, side);
    column->addWidget(grid_);
    told_ = addWordsBelow(*column, side, "range_words");
    column->addStretch(1);
    line->addWidget(side);
    connect(view_, &MultibandView::rangeChosen, this, &MultibandPane::showRange);
    connect(&strip_, &StripModel::readingsChanged, this, [this] {
        if (!isVisible() || ++ticks_ % 8 != 0) return;
        const QString words = view_->words();
        if (words != told_->text()) told_->setText(words);
    });
    showRange(view_->range());
}

void MultibandPane::showRange(int range) {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    count_ = range_count(s->values);
    // What is listened to follows the choice.
    if (s->values[kRangeListen] > 0) stage_.set(kRangeListen, range + 1);
    std::vector<size_t> rows;
    rows.reserve(kRangeParameters + 3);
    for (int p = 0; p < kRangeParameters; ++p)
        rows.push_back(multiband_row(range, static_cast<MultibandParameter>(p)));
    // Where it ends: the highest begins where the one before it does.
    rows.push_back(static_cast<size_t>(kMeets1 + std::min(range, count_ - 2)));
    rows.push_back(kRangeKnee);
    rows.push_back(kRangeCount);
    grid_->build(rows, 4);
    told_->setText(view_->words());
    refresh();
}

void MultibandPane::refresh() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    if (range_count(s->values) != count_) {
        view_->choose(std::min(view_->range(), range_count(s->values) - 1));
        return showRange(std::min(view_->range(), range_count(s->values) - 1));
    }
    grid_->refresh();
    const auto meets = crossover_frequencies(s->values);
    const auto hertz = [](double f) {
        return text(format_value(kMultibandStage.parameters[kMeets1],
                                 round_value(kMultibandStage.parameters[kMeets1], f)));
    };
    const int range = view_->range();
    const QString where = range == 0 ? tr("below %1").arg(hertz(meets[0]))
                          : range == count_ - 1
                              ? tr("above %1").arg(hertz(meets[static_cast<size_t>(range - 1)]))
                              : tr("%1 to %2")
                                    .arg(hertz(meets[static_cast<size_t>(range - 1)]),
                                         hertz(meets[static_cast<size_t>(range)]));
    name_->setText(tr("Band %1: %2").arg(range + 1).arg(where));
    const int listened = static_cast<int>(s->values[kRangeListen]);
    listen_->setChecked(listened > 0);
    listen_->setText(listened > 0 ? tr("Solo: %1").arg(listened) : tr("Solo"));
}

}  // namespace reed::ui
