#include "deck/advice_popover.h"

#include "model/app_model.h"
#include "model/soundcheck/advice_log.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"

namespace reed::ui {

namespace {
constexpr int kTextWidth = 380;
}

AdvicePopover::AdvicePopover(AppModel& app, QWidget* parent)
    : Panel("advice_popup", tr("Advice since the start"), parent), app_(app) {
    addWords(Words::Ink::text, 16, true, tr("Advice since the start"));
    none_ = addWords(Words::Ink::muted, 14, false, tr("None so far."));
    list_ = new QGridLayout;
    list_->setHorizontalSpacing(14);
    list_->setVerticalSpacing(4);
    column()->addLayout(list_);
    if (app_.preferences().hidesAnyAdvice()) {
        auto* all = FlatButton::raised("advice_show_all", tr("Show hidden advice again"), this);
        connect(all, &FlatButton::clicked, this, [this] {
            app_.preferences().showAllAdvice();
            close();
        });
        column()->addWidget(all, 0, Qt::AlignLeft);
    }
    connect(&app_.adviceLog(), &AdviceLog::changed, this, &AdvicePopover::refresh);
    refresh();
}

void AdvicePopover::refresh() {
    empty(*list_);
    const auto& all = app_.adviceLog().entries();
    none_->setVisible(all.empty());
    const bool several = app_.mixer().strips().size() > 1;
    int row = 0;
    const auto put = [&](const QString& text, int column, Words::Ink ink) {
        auto* w = new Words(ink, this);
        w->setObjectName("advice_text");
        w->setFont(ui::font(14));
        w->setText(text);
        if (column == 2) {
            w->setWordWrap(true);
            w->setFixedWidth(kTextWidth);
        }
        list_->addWidget(w, row, column, Qt::AlignTop);
    };
    for (auto e = all.rbegin(); e != all.rend(); ++e) {
        if (row == kRows - 1 && all.size() > kRows) {
            put(tr("and %1 more").arg(all.size() - static_cast<size_t>(row)), 2, Words::Ink::muted);
            break;
        }
        put(e->from.toString("HH:mm"), 0, Words::Ink::muted);
        if (several) put(plainText(e->strip), 1, Words::Ink::muted);
        put(plainText(e->text), 2, Words::Ink::text);
        put(!e->to.isValid() ? tr("now")
            : e->applied     ? tr("applied")
                             : tr("until %1").arg(e->to.toString("HH:mm")),
            3, e->to.isValid() ? Words::Ink::muted : Words::Ink::warning);
        ++row;
    }
    fitContents();
}

}  // namespace reed::ui
