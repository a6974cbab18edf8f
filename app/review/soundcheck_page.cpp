#include "review/soundcheck_page.h"

#include <QApplication>
#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QPainter>
#include <QScrollArea>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <utility>

#include "review/step_levels.h"
#include "session/microphones.h"
#include "session/session.h"
#include "session/takes_model.h"
#include "soundcheck/report.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr int kEdge = 24, kStepsWidth = 250, kRow = 40, kButton = 36;
constexpr double kQuietest = -70.0;  // dBFS, where the line of a microphone begins

/// Texts of the core's tables, translated.
QString translated(std::string_view text) {
    return QCoreApplication::translate("Finding", std::string(text).c_str());
}

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

SoundcheckPage::SoundcheckPage(Session& first, QWidget* parent)
    : QWidget(parent), first_(first), model_(first.soundcheck()) {
    setObjectName("soundcheck");
    setAccessibleName(tr("Soundcheck"));
    setFocusPolicy(Qt::StrongFocus);
    title_ = words(20, true, 0);
    close_ = button("soundcheck_close", tr("Close"));
    connect(close_, &FlatButton::clicked, &model_, &SoundcheckModel::close);

    auto* list = new QVBoxLayout;
    list->setSpacing(6);
    for (const StepInfo& info : soundcheck_steps()) {
        const auto i = static_cast<size_t>(info.step);
        FlatButton* b = button(("soundcheck_step_" + std::string(info.id)).c_str(), translated(info.title));
        b->setPrefix(QString::number(i + 1));
        b->setCheckable(true);
        b->setMinimumHeight(kRow);
        connect(b, &FlatButton::clicked, this, [this, step = info.step] {
            choosing_ = false;
            model_.choose(step);
            showState();
        });
        steps_[i] = b;
        list->addWidget(b);
    }
    results_button_ = button("soundcheck_results", tr("Measure and propose"));
    results_button_->setMinimumHeight(kRow);
    connect(results_button_, &FlatButton::clicked, &model_, &SoundcheckModel::analyse);
    list->addSpacing(8);
    list->addWidget(results_button_);
    list->addStretch(1);

    pages_ = new QStackedWidget(this);
    pages_->addWidget(inputPage());
    pages_->addWidget(stepPage());
    pages_->addWidget(workPage());
    pages_->addWidget(resultPage());

    auto* top = new QHBoxLayout;
    top->addWidget(title_, 1);
    top->addWidget(close_);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(kEdge);
    auto* left = new QWidget(this);
    left->setFixedWidth(kStepsWidth);
    left->setLayout(list);
    list->setContentsMargins(0, 0, 0, 0);
    middle->addWidget(left);
    middle->addWidget(pages_, 1);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(kEdge, 16, kEdge, 20);
    all->setSpacing(16);
    all->addLayout(top);
    all->addLayout(middle, 1);

    connect(&model_, &SoundcheckModel::changed, this, &SoundcheckPage::showState);
    connect(&model_, &SoundcheckModel::moved, this, &SoundcheckPage::showMoved);
    for (const auto signal :
         {&TakesModel::loopChanged, &TakesModel::comparisonChanged, &TakesModel::chosenChanged})
        connect(&first_.takes(), signal, this, &SoundcheckPage::showState);
    hide();
}

FlatButton* SoundcheckPage::button(const char* name, const QString& text) {
    auto* out = new FlatButton(text, this);
    out->setObjectName(name);
    out->setWeight(FlatButton::Weight::raised);
    out->setMinimumHeight(kButton);
    return out;
}

Words* SoundcheckPage::words(int pixels, bool bold, int ink) {
    auto* out = new Words(static_cast<Words::Ink>(ink), this);
    out->setFont(ui::font(pixels, bold));
    out->setWordWrap(true);
    return out;
}

void SoundcheckPage::open(bool choose_input) {
    const QString why = model_.open();
    if (!why.isEmpty()) return first_.notices().warn(why);
    choosing_ = choose_input;
    if (choosing_) {
        model_.listenToAll(true);
        // Those of an earlier opening end with it.
        delete std::exchange(watching_, new QObject(this));
        connect(&model_.strip()->microphones(), &Microphones::heard, watching_, [this] {
            if (choosing_) showInputs();
        });
        connect(&model_.strip()->devices(), &Devices::inputChanged, watching_, [this] {
            if (choosing_) showInputs();
        });
        showInputs();
    }
    show();
    raise();
    showState();
}

// --- the microphone ---

QWidget* SoundcheckPage::inputPage() {
    auto* page = new QWidget(this);
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(10);
    Words* heading = words(18, true, 0);
    heading->setText(tr("Which microphone do you speak into?"));
    Words* say = words(15, false, 1);
    say->setText(tr(
        "Speak: the line under the right one moves. Then one minute of soundcheck sets up a chain for your "
        "voice, your microphone and your room, with a reason for every value."));
    inputs_ = new QVBoxLayout;
    inputs_->setSpacing(6);
    input_note_ = words(14, false, 1);
    begin_ = button("soundcheck_begin", tr("Begin with this microphone"));
    connect(begin_, &FlatButton::clicked, this, [this] {
        choosing_ = false;
        model_.listenToAll(false);
        showState();
    });
    column->addWidget(heading);
    column->addWidget(say);
    column->addLayout(inputs_);
    column->addWidget(input_note_);
    FlatButton* not_now = button("soundcheck_not_now", tr("Not now"));
    connect(not_now, &FlatButton::clicked, &model_, &SoundcheckModel::close);
    auto* row = new QHBoxLayout;
    row->setSpacing(10);
    row->addWidget(begin_);
    row->addWidget(not_now);
    row->addStretch(1);
    column->addLayout(row);
    Words* again = words(14, false, 1);
    again->setText(
        tr("You find the soundcheck in the menu at any time. It changes nothing until you use its chain."));
    column->addWidget(again);
    column->addStretch(1);
    return page;
}

void SoundcheckPage::showInputs() {
    Session* strip = model_.strip();
    if (strip == nullptr) return;
    const PipeWireSnapshot& known = strip->devices().picture();
    // As they are now: those that are there, then the simulated room.
    std::vector<std::pair<QString, DeviceChoice>> wanted;
    for (const auto& m : known.sources)
        wanted.emplace_back(QString::fromStdString(m.title), DeviceChoice{DeviceKind::pipewire, m.name});
    wanted.emplace_back(tr("Simulated room (a demo voice speaks)"),
                        DeviceChoice{DeviceKind::simulated_room, ""});
    bool same = wanted.size() == microphones_.size();
    for (size_t i = 0; same && i < wanted.size(); ++i)
        same = microphones_[i].second == wanted[i].second.target;
    if (!same) {
        for (auto& [b, name] : microphones_) b->deleteLater();
        microphones_.clear();
        for (const auto& [title, choice] : wanted) {
            FlatButton* b = button("soundcheck_input", title);
            b->setCheckable(true);
            b->setMinimumHeight(kRow);
            connect(b, &FlatButton::clicked, this, [this, choice = choice] {
                if (model_.strip() != nullptr) model_.strip()->devices().setInput(choice);
                showInputs();
            });
            inputs_->addWidget(b);
            microphones_.emplace_back(b, choice.target);
        }
    }
    const Devices& devices = strip->devices();
    for (size_t i = 0; i < wanted.size(); ++i)
        microphones_[i].first->setChecked(!devices.unchosen() && devices.input() == wanted[i].second);
    QString note;
    if (known.sources.empty())
        note = known.connected
                   ? tr("No microphone is connected. The simulated room shows how it works.")
                   : tr("PipeWire isn't running, so no microphone can be reached. The simulated room shows "
                        "how it works.");
    input_note_->setText(note);
    begin_->setEnabled(!devices.unchosen());
    update();
}

// --- a step ---

QWidget* SoundcheckPage::stepPage() {
    auto* page = new QWidget(this);
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(12);
    step_title_ = words(18, true, 0);
    instruction_ = words(16, false, 0);
    text_ = words(22, false, 0);
    text_->setObjectName("soundcheck_text");
    text_->setContentsMargins(0, 8, 0, 8);
    levels_ = new StepLevels(page);
    time_ = words(14, false, 1);
    time_->setObjectName("soundcheck_time");
    problem_ = words(15, false, 3);
    problem_->setObjectName("soundcheck_problem");
    record_ = button("soundcheck_record", {});
    connect(record_, &FlatButton::clicked, this, [this] {
        if (model_.recording())
            model_.stop();
        else
            model_.record();
    });
    skip_ = button("soundcheck_skip", tr("Skip this step"));
    connect(skip_, &FlatButton::clicked, &model_, &SoundcheckModel::skip);
    finish_ = button("soundcheck_finish", tr("Enough: measure and propose"));
    connect(finish_, &FlatButton::clicked, &model_, &SoundcheckModel::analyse);
    auto* row = new QHBoxLayout;
    row->setSpacing(10);
    row->addWidget(record_);
    row->addWidget(skip_);
    row->addWidget(finish_);
    row->addStretch(1);
    column->addWidget(step_title_);
    column->addWidget(instruction_);
    column->addWidget(text_);
    column->addWidget(levels_, 1);
    column->addWidget(time_);
    column->addWidget(problem_);
    column->addLayout(row);
    return page;
}

void SoundcheckPage::showStep() {
    const StepInfo& info = step_info(model_.current());
    const auto state = model_.state(info.step);
    step_title_->setText(translated(info.title));
    instruction_->setText(translated(info.instruction));
    text_->setText(info.text.empty() ? QString() : translated(info.text));
    text_->setVisible(!info.text.empty());
    problem_->setText(state == SoundcheckModel::StepState::failed ? model_.problem(info.step) : QString());
    problem_->setVisible(!problem_->text().isEmpty());
    const bool recording = state == SoundcheckModel::StepState::recording;
    const bool again =
        state == SoundcheckModel::StepState::done || state == SoundcheckModel::StepState::failed;
    record_->setText(recording ? tr("Stop")
                     : again   ? tr("Record again")
                               : tr("Record %1 s").arg(info.seconds));
    record_->setEnabled(state != SoundcheckModel::StepState::checking);
    skip_->setVisible(!info.required);
    finish_->setVisible(model_.complete() && !recording);
    levels_->setStep(info.seconds, model_.noise());
    showMoved();
}

void SoundcheckPage::showMoved() {
    if (!isVisible()) return;
    if (model_.phase() == SoundcheckModel::Phase::working) {
        working_->setText(tr("Trying orders and settings on your recordings: %1%")
                              .arg(static_cast<int>(100.0 * model_.progress())));
        return;
    }
    if (model_.phase() != SoundcheckModel::Phase::steps) return;
    const StepInfo& info = step_info(model_.current());
    levels_->setLevels(model_.levels());
    const auto state = model_.state(info.step);
    if (state == SoundcheckModel::StepState::recording)
        time_->setText(
            tr("Recording: %1 of %2 s").arg(model_.seconds(), 0, 'f', 1).arg(info.seconds, 0, 'f', 0));
    else if (state == SoundcheckModel::StepState::checking)
        time_->setText(tr("Checking the recording"));
    else if (state == SoundcheckModel::StepState::done)
        time_->setText(tr("Recorded."));
    else if (state == SoundcheckModel::StepState::skipped)
        time_->setText(tr("Skipped."));
    else
        time_->setText(tr("Level of the microphone in dBFS, while it records."));
}

// --- work and results ---

QWidget* SoundcheckPage::workPage() {
    auto* page = new QWidget(this);
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(12);
    Words* heading = words(18, true, 0);
    heading->setText(tr("Measuring"));
    working_ = words(16, false, 1);
    working_->setObjectName("soundcheck_working");
    cancel_ = button("soundcheck_cancel", tr("Cancel"));
    connect(cancel_, &FlatButton::clicked, &model_, &SoundcheckModel::cancel);
    column->addWidget(heading);
    column->addWidget(working_);
    column->addWidget(cancel_, 0, Qt::AlignLeft);
    column->addStretch(1);
    return page;
}

QWidget* SoundcheckPage::resultPage() {
    auto* page = new QWidget(this);
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(12);
    summary_ = words(16, false, 0);
    summary_->setObjectName("soundcheck_summary");
    findings_ = scrolled("soundcheck_findings", page);
    lines_ = scrolled("soundcheck_lines", page);
    auto* both = new QGridLayout;
    both->setHorizontalSpacing(kEdge);
    both->setVerticalSpacing(8);
    Words* left = words(15, true, 0);
    left->setText(tr("What was measured"));
    Words* right = words(15, true, 0);
    right->setText(tr("The chain for it"));
    both->addWidget(left, 0, 0);
    both->addWidget(right, 0, 1);
    both->addWidget(findings_, 1, 0);
    both->addWidget(lines_, 1, 1);
    both->setColumnStretch(0, 4);
    both->setColumnStretch(1, 6);
    both->setRowStretch(1, 1);
    order_ = words(13, false, 1);
    apply_ = button("soundcheck_apply", tr("Use this chain"));
    connect(apply_, &FlatButton::clicked, &model_, &SoundcheckModel::apply);
    compare_ = button("soundcheck_compare", {});
    connect(compare_, &FlatButton::clicked, &model_, &SoundcheckModel::compare);
    report_ = button("soundcheck_report", tr("Save report…"));
    connect(report_, &FlatButton::clicked, this, &SoundcheckPage::saveReport);
    auto* row = new QHBoxLayout;
    row->setSpacing(10);
    row->addWidget(apply_);
    row->addWidget(compare_);
    row->addWidget(report_);
    row->addStretch(1);
    column->addWidget(summary_);
    column->addLayout(both, 1);
    column->addWidget(order_);
    column->addLayout(row);
    return page;
}

void SoundcheckPage::showResults() {
    const SoundcheckProposal& p = model_.proposal();
    if (!results_shown_) {
        results_shown_ = true;
        const ChainFigures& f = p.figures;
        summary_->setText(
            tr("On your recordings: %1 LUFS, noise in pauses %2 dBFS (%3 dB lower against your voice), "
               "%4 of %5 words cut off, latency %6 ms.")
                .arg(f.loudness, 0, 'f', 1)
                .arg(f.noise, 0, 'f', 0)
                .arg(f.noise_gain, 0, 'f', 0)
                .arg(f.loss.truncated)
                .arg(f.loss.words)
                .arg(1000.0 * f.latency / model_.facts().sample_rate, 0, 'f', 0));
        QString order = tr("Order: %1.").arg(QString::fromStdString(p.orders[0].stages));
        if (p.orders.size() > 1) {
            const ChainFigures& g = p.orders[1].figures;
            order += tr(" Next best of %1 that were tried: %2 (noise %3 dBFS, %4 words cut off).")
                         .arg(p.orders.size())
                         .arg(QString::fromStdString(p.orders[1].stages))
                         .arg(g.noise, 0, 'f', 0)
                         .arg(g.loss.truncated);
        }
        order_->setText(order);
        auto* facts = new QWidget;
        auto* column = new QVBoxLayout(facts);
        column->setContentsMargins(0, 0, 12, 0);
        column->setSpacing(8);
        for (const SoundcheckFinding& finding : model_.findings()) {
            Words* w = words(14, false, 0);
            w->show(finding.finding);
            if (finding.finding.tone == FindingTone::neutral) w->setInk(Words::Ink::text);
            if (finding.certainty == Certainty::likely) w->setText(w->text() + tr(" (likely)"));
            setHint(w, tr("Measured by: %1").arg(translated(finding.method)));
            column->addWidget(w);
        }
        column->addStretch(1);
        findings_->setWidget(facts);

        auto* lines = new QWidget;
        auto* grid = new QGridLayout(lines);
        grid->setContentsMargins(0, 0, 12, 0);
        grid->setHorizontalSpacing(12);
        grid->setVerticalSpacing(10);
        grid->setColumnStretch(1, 1);
        line_buttons_.clear();
        for (size_t i = 0; i < p.lines.size(); ++i) {
            const SoundcheckLine& line = p.lines[i];
            auto* on = button("soundcheck_line", translated(line_title(p.chain, line)));
            on->setFixedWidth(150);
            on->setCheckable(!line.stage.empty());
            on->setEnabled(!line.stage.empty());
            connect(on, &FlatButton::clicked, this, [this, i](bool checked) { model_.setOn(i, checked); });
            line_buttons_.push_back(on);
            const QString values = QString::fromStdString(line_values(p.chain, line));
            const QString effect = translated(line.effect);
            Words* why = words(14, false, line.stage.empty() ? 1 : 0);
            why->setText((values.isEmpty() ? QString() : values + ". ") + Words::of(line.why) + ' ' + effect);
            const auto row = static_cast<int>(i);
            grid->addWidget(on, row, 0, Qt::AlignTop);
            grid->addWidget(why, row, 1, Qt::AlignTop);
        }
        grid->setRowStretch(static_cast<int>(p.lines.size()), 1);
        lines_->setWidget(lines);
    }
    for (size_t i = 0; i < line_buttons_.size(); ++i)
        line_buttons_[i]->setChecked(!p.lines[i].stage.empty() && model_.isOn(i));
    apply_->setText(model_.applied() ? tr("In use") : tr("Use this chain"));
    apply_->setEnabled(!model_.applied());
    const TakesModel& takes = first_.takes();
    compare_->setText(takes.comparing() ? tr("Stop comparing") : tr("Compare with unprocessed"));
    compare_->setEnabled(model_.applied() && !takes.chosen().path.empty());
    setHint(compare_,
            tr("Loops your talk at equal loudness; switch sides with the shortcut for comparisons. The "
               "output is silent meanwhile."));
}

void SoundcheckPage::saveReport() {
    QString file = QFileDialog::getSaveFileName(this, tr("Save report"), "soundcheck.txt",
                                                tr("Text (*.txt);;JSON (*.json)"));
    model_.saveReport(file);
}

// --- all of it ---

void SoundcheckPage::showState() {
    using enum SoundcheckModel::Phase;
    const auto phase = model_.phase();
    if (phase == closed) {
        if (isHidden()) return;
        hide();
        emit this->closed();
        return;
    }
    if (phase != results) results_shown_ = false;
    title_->setText(model_.strip() != nullptr
                        ? tr("Soundcheck: %1").arg(plainText(model_.strip()->stripName()))
                        : tr("Soundcheck"));
    for (const StepInfo& info : soundcheck_steps()) {
        FlatButton* b = steps_[static_cast<size_t>(info.step)];
        using enum SoundcheckModel::StepState;
        const auto state = model_.state(info.step);
        QString text = translated(info.title);
        if (state == done) text += tr(": recorded");
        if (state == failed) text += tr(": repeat");
        if (state == skipped) text += tr(": skipped");
        if (state == recording) text += tr(": recording");
        b->setText(text);
        b->setChecked(phase == steps && !choosing_ && model_.current() == info.step);
        b->setEnabled(phase != working && !choosing_);
    }
    results_button_->setEnabled(model_.complete() && phase == steps);
    pages_->setCurrentIndex(choosing_ ? 0 : phase == steps ? 1 : phase == working ? 2 : 3);
    if (phase == steps) showStep();
    if (phase == working) showMoved();
    if (phase == results) showResults();
    // What leads on has the focus, so that one key does.
    if (FlatButton* b = primary(); b != nullptr && b->isEnabled() && isVisible()) b->setFocus();
}

FlatButton* SoundcheckPage::primary() const {
    using enum SoundcheckModel::Phase;
    if (choosing_) return begin_;
    switch (model_.phase()) {
        case steps:
            return record_;
        case working:
            return cancel_;
        case results:
            return apply_->isEnabled() ? apply_ : compare_;
        case closed:
            return nullptr;
    }
    return nullptr;
}

void SoundcheckPage::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape) return model_.close();
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
        auto* focused = qobject_cast<FlatButton*>(QApplication::focusWidget());
        FlatButton* b = focused != nullptr && isAncestorOf(focused) ? focused : primary();
        if (b != nullptr && b->isEnabled()) b->click();
        return;
    }
    // The window behind must not be turned by arrow keys.
    event->accept();
}

void SoundcheckPage::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().window);
    if (!choosing_ || model_.strip() == nullptr) return;
    for (const auto& [b, name] : microphones_) {
        const auto now = model_.strip()->microphones().now(name);
        if (!now) continue;
        const double part = std::clamp(1.0 - now->level / kQuietest, 0.0, 1.0);
        const QRect at(b->mapTo(this, QPoint(0, 0)), b->size());
        p.fillRect(QRectF(at.left(), at.bottom() + 1, part * at.width(), 3), theme().straw);
    }
}

}  // namespace reed::ui
