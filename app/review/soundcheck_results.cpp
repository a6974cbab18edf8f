#include "review/soundcheck_results.h"

#include <QFileDialog>
#include <QGridLayout>
#include <QScrollArea>

#include "model/app_model.h"
#include "model/soundcheck/soundcheck_model.h"
#include "model/takes/takes_model.h"
#include "soundcheck/report.h"
#include "widgets/flat_button.h"
#include "widgets/layouts.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr int kGap = 24, kButton = 36, kLineButton = 150;
using Ink = Words::Ink;

/// A scroll area for rows of words; its width is that of its rows.
QScrollArea* scrolled(const char* name, QWidget* parent) {
    auto* out = new QScrollArea(parent);
    out->setObjectName(name);
    out->setFrameShape(QFrame::NoFrame);
    out->setWidgetResizable(true);
    out->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    out->viewport()->setAutoFillBackground(false);
    return out;
}

}  // namespace

SoundcheckResults::SoundcheckResults(AppModel& app, QWidget* parent) : QWidget(parent), app_(app) {
    SoundcheckModel* model = &app_.soundcheck();
    summary_ = Words::wrapped(Ink::text, 16, false, this);
    summary_->setObjectName("soundcheck_summary");
    findings_ = scrolled("soundcheck_findings", this);
    lines_ = scrolled("soundcheck_lines", this);
    order_ = Words::wrapped(Ink::muted, 13, false, this);
    apply_ = FlatButton::raised("soundcheck_apply", tr("Use this chain"), this);
    connect(apply_, &FlatButton::clicked, model, &SoundcheckModel::apply);
    compare_ = FlatButton::raised("soundcheck_compare", tr("Compare with unprocessed"), this);
    connect(compare_, &FlatButton::clicked, model, &SoundcheckModel::compare);
    setHint(compare_,
            tr("Loops your talk at equal loudness; switch sides with the shortcut for comparisons. The "
               "output is silent meanwhile."));
    auto* report = FlatButton::raised("soundcheck_report", tr("Save report…"), this);
    connect(report, &FlatButton::clicked, this, &SoundcheckResults::saveReport);
    for (FlatButton* b : {apply_, compare_, report}) b->setMinimumHeight(kButton);

    auto* both = new QGridLayout;
    both->setHorizontalSpacing(kGap);
    both->setVerticalSpacing(8);
    both->addWidget(Words::wrapped(Ink::text, 15, true, this, tr("What was measured")), 0, 0);
    both->addWidget(Words::wrapped(Ink::text, 15, true, this, tr("The chain for it")), 0, 1);
    both->addWidget(findings_, 1, 0);
    both->addWidget(lines_, 1, 1);
    both->setColumnStretch(0, 4);
    both->setColumnStretch(1, 6);
    both->setRowStretch(1, 1);
    auto* column = columnOf(this, 12);
    column->addWidget(summary_);
    column->addLayout(both, 1);
    column->addWidget(order_);
    column->addLayout(rowOf({apply_, compare_, report}));
}

void SoundcheckResults::fill() {
    const SoundcheckModel& model = app_.soundcheck();
    const SoundcheckProposal& p = model.proposal();
    const ChainFigures& f = p.figures;
    const double chain_ms = 1000.0 * f.latency / model.facts().sample_rate;
    const double device_ms = model.strip() != nullptr ? model.strip()->input().status().delay_ms : 0.0;
    QString summary =
        tr("On your recordings: %1 LUFS, noise in pauses %2 dBFS (%3 dB lower against your voice), "
           "%4 of %5 words cut off, latency %6 ms")
            .arg(f.loudness, 0, 'f', 1)
            .arg(f.noise, 0, 'f', 0)
            .arg(f.noise_gain, 0, 'f', 0)
            .arg(f.loss.truncated)
            .arg(f.loss.words)
            .arg(chain_ms, 0, 'f', 0);
    if (device_ms >= 1.0) summary += tr(" (%1 ms with the devices)").arg(chain_ms + device_ms, 0, 'f', 0);
    summary_->setText(summary + '.');
    QString order = tr("Order: %1.").arg(QString::fromStdString(p.orders[0].stages));
    if (p.orders.size() > 1) {
        const OrderFigures& next = p.orders[1];
        order += tr(" Next best of %1 that were tried: %2 (noise %3 dBFS, %4 words cut off).")
                     .arg(p.orders.size())
                     .arg(QString::fromStdString(next.stages))
                     .arg(next.figures.noise, 0, 'f', 0)
                     .arg(next.figures.loss.truncated);
    }
    order_->setText(order);
    findings_->setWidget(findingRows());
    lines_->setWidget(lineRows());
}

QWidget* SoundcheckResults::findingRows() {
    auto* out = new QWidget;
    auto* column = columnOf(out, 8);
    column->setContentsMargins(0, 0, 12, 0);
    for (const SoundcheckFinding& finding : app_.soundcheck().findings()) {
        Words* w = Words::wrapped(Ink::text, 14, false, out);
        w->show(finding.finding);
        if (finding.finding.tone == FindingTone::neutral) w->setInk(Ink::text);
        if (finding.certainty == Certainty::likely)
            w->setText(
                QString::fromStdString(qualified(w->text().toStdString(), tr("likely").toStdString())));
        setHint(w, tr("Measured by: %1").arg(Words::spelt(finding.method, {})));
        column->addWidget(w);
    }
    column->addStretch(1);
    return out;
}

QWidget* SoundcheckResults::lineRows() {
    SoundcheckModel* model = &app_.soundcheck();
    const SoundcheckProposal& p = model->proposal();
    auto* out = new QWidget;
    auto* grid = new QGridLayout(out);
    grid->setContentsMargins(0, 0, 12, 0);
    grid->setHorizontalSpacing(12);
    grid->setVerticalSpacing(10);
    grid->setColumnStretch(1, 1);
    line_buttons_.clear();
    for (size_t i = 0; i < p.lines.size(); ++i) {
        const SoundcheckLine& line = p.lines[i];
        const std::string title = line_title(p.chain, line);
        FlatButton* on = FlatButton::raised("soundcheck_line", Words::spelt(title, {}), out);
        on->setMinimumHeight(kButton);
        on->setFixedWidth(kLineButton);
        on->setCheckable(!line.stage.empty());
        on->setEnabled(!line.stage.empty());
        connect(on, &FlatButton::clicked, model, [model, i](bool checked) { model->setOn(i, checked); });
        line_buttons_.push_back(on);
        const QString values = QString::fromStdString(line_values(p.chain, line));
        const QString text = (values.isEmpty() ? QString() : values + ". ") + Words::of(line.why) + ' ' +
                             Words::spelt(line.effect, {});
        const auto row = static_cast<int>(i);
        grid->addWidget(on, row, 0, Qt::AlignTop);
        grid->addWidget(Words::wrapped(line.stage.empty() ? Ink::muted : Ink::text, 14, false, out, text),
                        row, 1, Qt::AlignTop);
        if (line.stage.empty()) continue;
        FlatButton* alone = FlatButton::raised("soundcheck_alone", tr("Only this"), out);
        setHint(alone, tr("Put only this into the chain that you have"));
        connect(alone, &FlatButton::clicked, model, [model, i] { model->applyAlone(i); });
        grid->addWidget(alone, row, 2, Qt::AlignTop);
    }
    grid->setRowStretch(static_cast<int>(p.lines.size()), 1);
    return out;
}

void SoundcheckResults::show(bool fresh) {
    if (fresh) fill();
    const SoundcheckModel& model = app_.soundcheck();
    for (size_t i = 0; i < line_buttons_.size(); ++i)
        line_buttons_[i]->setChecked(!model.proposal().lines[i].stage.empty() && model.isOn(i));
    apply_->setText(model.applied() ? tr("In use") : tr("Use this chain"));
    apply_->setEnabled(!model.applied());
    const TakesModel& takes = app_.takes();
    compare_->setText(takes.comparing() ? tr("Stop comparing") : tr("Compare with unprocessed"));
    compare_->setEnabled(takes.comparing() || (model.applied() && !takes.chosen().path.empty()));
}

FlatButton* SoundcheckResults::primary() const {
    return apply_->isEnabled() ? apply_ : compare_;
}

void SoundcheckResults::saveReport() {
    app_.soundcheck().saveReport(QFileDialog::getSaveFileName(this, tr("Save report"), "soundcheck.txt",
                                                              tr("Text (*.txt);;JSON (*.json)")));
}

}  // namespace reed::ui
