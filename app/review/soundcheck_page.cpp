#include "review/soundcheck_page.h"

#include <QApplication>
#include <QDateTime>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <utility>

#include "model/app_model.h"
#include "model/devices/microphones.h"
#include "model/soundcheck/soundcheck_follow_up.h"
#include "model/takes/takes_model.h"
#include "review/soundcheck_results.h"
#include "review/step_levels.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/layouts.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr int kEdge = 24, kStepsWidth = 250, kRow = 40, kButton = 36;
constexpr int kTakesListed = 20;
constexpr double kQuietest = -70.0;  // dBFS, where the line of a microphone begins

using Ink = Words::Ink;

/// "today", "3 weeks ago".
QString howLongAgo(const QDateTime& then) {
    const auto days = then.date().daysTo(QDate::currentDate());
    const auto tr = [](const char* text, qint64 n) { return SoundcheckPage::tr(text).arg(n); };
    if (days <= 0) return SoundcheckPage::tr("today");
    if (days == 1) return SoundcheckPage::tr("yesterday");
    if (days < 14) return tr("%1 days ago", days);
    if (days < 60) return tr("%1 weeks ago", days / 7);
    return tr("%1 months ago", days / 30);
}

/// The date of the last soundcheck, and what has changed since.
QString lastSoundcheckText(const SoundcheckRecord& record, const std::optional<Finding>& change) {
    const QDateTime then = QDateTime::fromString(QString::fromStdString(record.date), Qt::ISODate);
    QString out = then.isValid() ? SoundcheckPage::tr("Last soundcheck: %1.").arg(howLongAgo(then))
                                 : SoundcheckPage::tr("There was a soundcheck before.");
    if (change) out += ' ' + Words::of(*change);
    return out;
}

/// A text of the core's tables, translated.
QString translated(std::string_view text) {
    return text.empty() ? QString() : Words::spelt(text, {});
}

}  // namespace

SoundcheckPage::SoundcheckPage(AppModel& app, QWidget* parent)
    : QWidget(parent), app_(app), model_(app.soundcheck()) {
    setObjectName("soundcheck");
    setAccessibleName(tr("Soundcheck"));
    setFocusPolicy(Qt::StrongFocus);
    title_ = Words::wrapped(Ink::text, 20, true, this);
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
    results_ = new SoundcheckResults(app_, pages_);
    pages_->addWidget(results_);

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
        connect(&app_.takes(), signal, this, &SoundcheckPage::showState);
    hide();
}

FlatButton* SoundcheckPage::button(const char* name, const QString& text) {
    FlatButton* out = FlatButton::raised(name, text, this);
    out->setMinimumHeight(kButton);
    return out;
}

void SoundcheckPage::open(bool choose_input) {
    choosing_ = choose_input;
    const QString why = model_.open();
    if (!why.isEmpty()) return app_.mixer().main().notices().warn(why);
    if (choosing_) {
        model_.listenToAll(true);
        // Those of an earlier opening end with it.
        delete std::exchange(watching_, new QObject(this));
        connect(&model_.strip()->microphones(), &Microphones::heard, watching_, [this] {
            if (choosing_) showInputs();
        });
        connect(&model_.strip()->input(), &InputController::inputChanged, watching_, [this] {
            if (choosing_) showInputs();
        });
        showInputs();
    }
    showState();
}

// --- the microphone ---

QWidget* SoundcheckPage::inputPage() {
    auto* page = new QWidget(this);
    auto* column = columnOf(page, 10);
    Words* heading = Words::wrapped(Ink::text, 18, true, this);
    heading->setText(tr("Which microphone do you speak into?"));
    Words* say = Words::wrapped(Ink::muted, 15, false, this);
    say->setText(tr(
        "Speak: the line under the right one moves. Then one minute of soundcheck sets up a chain for your "
        "voice, your microphone and your room, with a reason for every value."));
    inputs_ = new QVBoxLayout;
    inputs_->setSpacing(6);
    input_note_ = Words::wrapped(Ink::muted, 14, false, this);
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
    column->addLayout(rowOf({begin_, not_now}));
    Words* again = Words::wrapped(Ink::muted, 14, false, this);
    again->setText(
        tr("You find the soundcheck in the menu at any time. It changes nothing until you use its chain."));
    column->addWidget(again);
    column->addStretch(1);
    return page;
}

void SoundcheckPage::showInputs() {
    StripModel* strip = model_.strip();
    if (strip == nullptr) return;
    const PipeWireSnapshot& known = strip->audio().snapshot();
    // As they are now: those that are there, then the simulated room.
    std::vector<std::pair<QString, DeviceChoice>> inputs;
    for (const auto& m : known.sources)
        inputs.emplace_back(QString::fromStdString(m.title), DeviceChoice{DeviceKind::pipewire, m.name});
    inputs.emplace_back(tr("Simulated room (a demo voice speaks)"),
                        DeviceChoice{DeviceKind::simulated_room, ""});
    bool same = inputs.size() == microphones_.size();
    for (size_t i = 0; same && i < inputs.size(); ++i)
        same = microphones_[i].second == inputs[i].second.target;
    if (!same) {
        for (auto& [b, name] : microphones_) b->deleteLater();
        microphones_.clear();
        for (const auto& [title, choice] : inputs) {
            FlatButton* b = button("soundcheck_input", title);
            b->setCheckable(true);
            b->setMinimumHeight(kRow);
            connect(b, &FlatButton::clicked, this, [this, choice = choice] {
                if (model_.strip() != nullptr) model_.strip()->input().select(choice);
                showInputs();
            });
            inputs_->addWidget(b);
            microphones_.emplace_back(b, choice.target);
        }
    }
    const InputController& input = strip->input();
    for (size_t i = 0; i < inputs.size(); ++i)
        microphones_[i].first->setChecked(!input.hasNoInput() && input.choice() == inputs[i].second);
    QString note;
    if (known.sources.empty())
        note = known.connected
                   ? tr("No microphone is connected. The simulated room shows how it works.")
                   : tr("PipeWire isn't running, so no microphone can be reached. The simulated room shows "
                        "how it works.");
    input_note_->setText(note);
    begin_->setEnabled(!input.hasNoInput());
    update();
}

// --- a step ---

QWidget* SoundcheckPage::stepPage() {
    auto* page = new QWidget(this);
    auto* column = columnOf(page, 12);
    step_title_ = Words::wrapped(Ink::text, 18, true, this);
    instruction_ = Words::wrapped(Ink::text, 16, false, this);
    text_ = Words::wrapped(Ink::text, 22, false, this);
    text_->setObjectName("soundcheck_text");
    text_->setContentsMargins(0, 8, 0, 8);
    levels_ = new StepLevels(page);
    time_ = Words::wrapped(Ink::muted, 14, false, this);
    time_->setObjectName("soundcheck_time");
    problem_ = Words::wrapped(Ink::warning, 15, false, this);
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
    file_ = button("soundcheck_file", tr("Use a recording…"));
    connect(file_, &FlatButton::clicked, this, &SoundcheckPage::chooseRecording);
    earlier_ = Words::wrapped(Ink::muted, 15, false, this);
    earlier_->setObjectName("soundcheck_earlier");
    earlier_->setMinimumHeight(kButton);
    use_earlier_ = button("soundcheck_use_earlier", tr("Use its recordings"));
    setHint(use_earlier_, tr("Then record only the steps that have changed"));
    connect(use_earlier_, &FlatButton::clicked, &model_, [this] { model_.useEarlier(); });
    finish_ = button("soundcheck_finish", tr("Enough: measure and propose"));
    connect(finish_, &FlatButton::clicked, &model_, &SoundcheckModel::analyse);
    auto* last = new QHBoxLayout;
    last->setSpacing(12);
    last->addWidget(earlier_, 1);
    last->addWidget(use_earlier_);
    column->addLayout(last);
    column->addWidget(step_title_);
    column->addWidget(instruction_);
    column->addWidget(text_);
    column->addWidget(levels_, 1);
    column->addWidget(time_);
    column->addWidget(problem_);
    column->addLayout(rowOf({record_, skip_, file_, finish_}));
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
    file_->setVisible(!recording);
    file_->setEnabled(record_->isEnabled());
    const auto record = model_.earlier();
    earlier_->setVisible(record.has_value());
    if (record) earlier_->setText(lastSoundcheckText(*record, app_.followUp(*model_.strip()).finding()));
    use_earlier_->setVisible(model_.canUseEarlier());
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

void SoundcheckPage::chooseRecording() {
    auto* menu = new QMenu(this);
    menu->setObjectName("soundcheck_recordings");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    int listed = 0;
    for (const Take& take : app_.takes().all()) {
        if (!take.problem.empty()) continue;
        if (++listed > kTakesListed) break;
        const QString name = plainText(QString::fromStdString(take.notes.name)).replace('&', "&&");
        menu->addAction(tr("%1 (%2 s)").arg(name).arg(take.seconds(), 0, 'f', 0), &model_,
                        [this, path = take.path] { model_.useFile(path); });
    }
    if (listed > 0) menu->addSeparator();
    menu->addAction(tr("Sound file…"), this, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Use a sound file for this step"), {},
                                                          tr("Sound files (*.wav *.flac *.ogg *.opus)"));
        if (!file.isEmpty()) model_.useFile(file.toStdString());
    });
    menu->popup(file_->mapToGlobal(QPoint(0, file_->height())));
}

// --- work and results ---

QWidget* SoundcheckPage::workPage() {
    auto* page = new QWidget(this);
    auto* column = columnOf(page, 12);
    Words* heading = Words::wrapped(Ink::text, 18, true, this);
    heading->setText(tr("Measuring"));
    working_ = Words::wrapped(Ink::muted, 16, false, this);
    working_->setObjectName("soundcheck_working");
    cancel_ = button("soundcheck_cancel", tr("Cancel"));
    connect(cancel_, &FlatButton::clicked, &model_, &SoundcheckModel::cancel);
    column->addWidget(heading);
    column->addWidget(working_);
    column->addWidget(cancel_, 0, Qt::AlignLeft);
    column->addStretch(1);
    return page;
}

// --- all of it ---

void SoundcheckPage::showState() {
    using enum SoundcheckModel::Phase;
    const auto phase = model_.phase();
    if (phase == closed) {
        if (isHidden()) return;
        delete std::exchange(watching_, nullptr);
        shown_.reset();
        choosing_ = false;
        return hide();
    }
    if (isHidden()) {  // advice can ask for a step to be repeated
        show();
        raise();
    }
    title_->setText(model_.strip() != nullptr ? tr("Soundcheck: %1").arg(plainText(model_.strip()->name()))
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
    // What leads on has the focus where something else is shown, so that one key does; who is further down
    // stays there.
    const std::tuple now(choosing_, phase, model_.current(), model_.state(model_.current()));
    const bool other = shown_ != now;
    if (phase == results) results_->show(other);
    if (!isVisible()) return;
    shown_ = now;
    // A chain that is used moves the focus to one of its stages, behind this page.
    const QWidget* focused = window()->focusWidget();
    if (!other && focused != nullptr && (focused == this || isAncestorOf(focused))) return;
    FlatButton* b = primary();
    if (b != nullptr && b->isEnabled())
        b->setFocus();
    else
        setFocus();
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
            return results_->primary();
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
