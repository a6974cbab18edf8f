#include "deck/adaptation_popover.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "actions/actions.h"
#include "model/scenes/adaptation_model.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr int kWidth = 560;

QString dbfs(double level) {
    return QString::number(level, 'f', 0);
}

}  // namespace

AdaptationPopover::AdaptationPopover(Actions& actions, QWidget* parent)
    : Panel("fit_popup", tr("Adapt the scene to this voice and room"), parent), actions_(actions) {
    setFixedWidth(kWidth);
    addWords(Words::Ink::text, 16, true, tr("Adapt to this voice and room"));
    state_ = addWords(Words::Ink::muted, 14);
    state_->setObjectName("fit_state");
    state_->setWordWrap(true);
    list_ = new QGridLayout;
    list_->setHorizontalSpacing(14);
    list_->setVerticalSpacing(0);
    column()->addLayout(list_);
    auto* foot = new QHBoxLayout;
    foot->setSpacing(8);
    all_ = new FlatButton(tr("Apply all"), this);
    all_->setObjectName("fit_all");
    all_->setWeight(FlatButton::Weight::raised);
    setHint(all_, tr("Apply all changes as one undo step"));
    keep_ = new FlatButton(tr("Keep as is"), this);
    keep_->setObjectName("fit_keep");
    setHint(keep_, tr("Keep these settings and store the current levels as the scene's reference"));
    AdaptationModel& model = actions_.app().adaptation();
    connect(all_, &FlatButton::clicked, this, [this, &model] {
        model.apply();
        close();
    });
    connect(keep_, &FlatButton::clicked, this, [this, &model] {
        model.acceptCurrentLevels();
        close();
    });
    foot->addWidget(all_);
    foot->addWidget(keep_);
    foot->addStretch(1);
    column()->addLayout(foot);
    connect(&model, &AdaptationModel::found, this, &AdaptationPopover::refresh);
    connect(&model, &AdaptationModel::failed, this, &AdaptationPopover::tell);
    connect(&model, &AdaptationModel::progressed, this,
            [this](int percent) { tell(tr("Analysing recent speech: %1%").arg(percent)); });
    all_->hide();
    tell(tr("Listening to what you said last"));
    model.look();
}

void AdaptationPopover::tell(const QString& words) {
    state_->setText(words);
    fitContents();
}

void AdaptationPopover::refresh() {
    empty(*list_);
    AdaptationModel& model = actions_.app().adaptation();
    if (!model.fit()) return;
    const Fit& fit = *model.fit();
    const StripModel* strip = actions_.app().mixer().find(model.strip());
    if (strip == nullptr) return;
    QString words =
        tr("Tuned for speech at %1 dBFS and noise at %2 dBFS. Yours: speech %3 dBFS, noise %4 dBFS.")
            .arg(dbfs(fit.made.usual), dbfs(fit.made.room), dbfs(fit.here.usual), dbfs(fit.here.room));
    if (fit.changes.empty()) words += ' ' + tr("No changes needed.");
    for (const std::string& id : fit.taught_elsewhere) {
        const StageSpec* s = strip->chainModel().stage(id);
        if (s != nullptr)
            words += ' ' + tr("%1 uses a noise profile from another room. Learn it again.")
                               .arg(QString::fromStdString(s->shown_title()));
    }
    int row = 0;
    for (size_t i = 0; i < fit.changes.size(); ++i) {
        const AdaptationChange& c = fit.changes[i];
        const StageSpec* s = strip->chainModel().stage(c.stage);
        if (s == nullptr && !c.stage.empty()) continue;
        const auto shown = [&](double value) {
            return s != nullptr
                       ? QString::fromStdString(format_value(s->stage_kind().parameters[c.row], value))
                       : tr("%1 dB").arg(value, 0, 'f', 1);
        };
        QString name = s != nullptr ? QString::fromStdString(s->shown_title()) : tr("Fader");
        if (s != nullptr) {
            const QString value = text(s->stage_kind().parameters[c.row].title);
            if (value.compare(name, Qt::CaseInsensitive) != 0) name += ", " + value.toLower();
        }
        auto* what = new Words(Words::Ink::text, this);
        what->setFont(ui::font(14));
        what->setText(tr("%1: %3 → %2").arg(name, shown(c.to), shown(c.from)));
        list_->addWidget(what, row, 0);
        auto* one = new FlatButton(tr("Apply"), this);
        one->setObjectName(QStringLiteral("fit_%1").arg(i));
        one->setAccessibleName(tr("Apply: %1").arg(what->text()));
        connect(one, &FlatButton::clicked, this, [this, i, &model, last = fit.changes.size() == 1] {
            model.apply(i);
            if (last) close();
        });
        list_->addWidget(one, row, 1, 2, 1, Qt::AlignTop);
        auto* why = new Words(Words::Ink::muted, this);
        const Finding reason = fit_reason(c);
        why->setFont(ui::font(12));
        why->setWordWrap(true);
        why->setText(Words::of(reason));
        why->setInk(c.short_of ? Words::Ink::warning : Words::Ink::muted);
        list_->addWidget(why, row + 1, 0);
        list_->setRowMinimumHeight(row, 28);
        list_->setRowMinimumHeight(row + 1, 26);
        row += 2;
    }
    list_->setColumnStretch(0, 1);
    all_->setVisible(fit.changes.size() > 1);
    tell(words);
}

void AdaptationPopover::closeEvent(QCloseEvent* event) {
    actions_.app().adaptation().cancel();
    QWidget::closeEvent(event);
}

}  // namespace reed::ui
