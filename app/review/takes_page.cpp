#include "review/takes_page.h"

#include <QFileDialog>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QStyledItemDelegate>
#include <algorithm>
#include <cmath>

#include "actions/actions.h"
#include "model/takes/takes_model.h"
#include "review/take_timeline_view.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

/// Two lines a take: its name; its outline and its length.
class TakeRow final : public QStyledItemDelegate {
  public:
    TakeRow(const TakeWaveforms& outlines, QObject* parent)
        : QStyledItemDelegate(parent), outlines_(outlines) {}
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {100, 44}; }
    void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const Theme& t = theme();
        const QRectF r = option.rect;
        p->save();
        p->fillRect(r, option.state.testFlag(QStyle::State_Selected) ? t.chosen : t.panel);
        p->setPen(t.text);
        p->setFont(ui::font(13));
        const QString name = index.data(kName).toString(), length = index.data(kLength).toString();
        const bool broken = index.data(kBroken).toBool();
        p->drawText(r.adjusted(8, 4, -8, 0), Qt::AlignLeft | Qt::AlignTop,
                    p->fontMetrics().elidedText(name, Qt::ElideRight, static_cast<int>(r.width()) - 16));
        p->setFont(ui::font(12));
        p->setPen(broken ? t.ember : t.muted);
        const QRectF below = r.adjusted(8, 22, -8, -4);
        p->drawText(below, (broken ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter,
                    p->fontMetrics().elidedText(length, Qt::ElideRight, static_cast<int>(below.width())));
        const auto& outline = outlines_.of(index.data(kFile).toString().toStdString());
        const double w = (below.width() - 52) / static_cast<double>(TakeWaveforms::kColumns);
        for (size_t i = 0; i < outline.size(); ++i) {
            const double h =
                std::clamp(static_cast<double>(std::sqrt(outline[i])), 0.04, 1.0) * below.height();
            p->fillRect(QRectF(below.left() + static_cast<double>(i) * w, below.center().y() - h / 2,
                               std::max(1.0, w - 0.6), h),
                        outline[i] > 1.0f ? t.ember : t.straw);
        }
        p->restore();
    }
    static constexpr int kFile = Qt::UserRole, kName = kFile + 1, kLength = kFile + 2, kBroken = kFile + 3;

  private:
    const TakeWaveforms& outlines_;
};

constexpr int kListWidth = 250, kEdge = 14, kHeight = 32;
}  // namespace

TakesPage::TakesPage(Actions& actions, QWidget* parent)
    : QWidget(parent), actions_(actions), takes_(actions.app().takes()) {
    setObjectName("take_view");
    setAccessibleName(tr("Takes"));
    find_ = new QLineEdit(this);
    find_->setObjectName("take_find");
    find_->setPlaceholderText(tr("Search takes"));
    find_->setAccessibleName(tr("Search takes"));
    find_->setFont(ui::font(13));
    connect(find_, &QLineEdit::textChanged, this, &TakesPage::fill);
    list_ = new QListWidget(this);
    list_->setObjectName("take_list");
    list_->setAccessibleName(tr("Takes"));
    list_->setFont(ui::font(13));
    list_->setFrameShape(QFrame::NoFrame);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->setUniformItemSizes(true);
    list_->setItemDelegate(new TakeRow(takes_.outlines(), list_));
    connect(&takes_.outlines(), &TakeWaveforms::changed, list_->viewport(),
            [this] { list_->viewport()->update(); });
    connect(list_, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (filling_ || item == nullptr) return;
        const QString file = item->data(TakeRow::kFile).toString();
        for (const Take& t : takes_.all()) {
            if (QString::fromStdString(t.path.string()) == file) return takes_.choose(t);
        }
    });
    wave_ = new TakeTimelineView(actions_.app().mixer().main(), takes_, this);
    keep_ = button("take_keep", tr("Save last 20 s"));
    connect(keep_, &FlatButton::clicked, this, &TakesPage::openKeep);
    record_ = button("take_record", tr("Record"));
    record_->setCheckable(true);
    connect(record_, &FlatButton::clicked, &takes_, [this] { warn(takes_.record()); });
    loop_ = button("take_loop", tr("Loop"));
    loop_->setCheckable(true);
    connect(loop_, &FlatButton::clicked, &takes_, &TakesModel::setLooping);
    against_ = button("take_against", tr("Compare"));
    connect(against_, &FlatButton::clicked, this, &TakesPage::openAgainst);
    side_ = button("take_side", {});
    side_->setCheckable(true);
    connect(side_, &FlatButton::clicked, this, [this] { actions_.act("switch-comparison"); });
    blind_ = button("take_blind", tr("Blind test"));
    connect(blind_, &FlatButton::clicked, this,
            [this] { takes_.blind() != nullptr ? takes_.endBlind() : takes_.beginBlind(); });
    more_ = button("take_more", {});
    more_->setIconName("more");
    more_->setAccessibleName(tr("More"));
    connect(more_, &FlatButton::clicked, this, &TakesPage::openMore);
    end_ = button("take_end", tr("Cancel"));
    connect(end_, &FlatButton::clicked, &takes_.work(), &JobRunner::end);
    connect(&takes_.work(), &JobRunner::changed, this, [this] {
        if (isVisible()) showState();
    });
    told_ = new Words(Words::Ink::muted, this);
    told_->setObjectName("take_told");
    told_->setFont(ui::font(14));
    connect(&takes_, &TakesModel::listChanged, this, &TakesPage::fill);
    connect(&takes_, &TakesModel::chosenChanged, this, &TakesPage::fill);
    for (const auto signal :
         {&TakesModel::chosenChanged, &TakesModel::loopChanged, &TakesModel::recordingChanged,
          &TakesModel::comparisonChanged, &TakesModel::reportChanged})
        connect(&takes_, signal, this, &TakesPage::showState);
    connect(&actions_.app().mixer().main(), &StripModel::readingsChanged, this, [this] {
        if (isVisible() && takes_.recording()) showState();
    });
    showState();
}

FlatButton* TakesPage::button(const char* name, const QString& words) {
    return FlatButton::raised(name, words, this);
}

void TakesPage::showEvent(QShowEvent*) {
    takes_.refresh();
    showState();
}

void TakesPage::fill() {
    filling_ = true;
    const QString wanted = find_->text().trimmed();
    list_->clear();
    for (const Take& t : takes_.all()) {
        const QString name = QString::fromStdString(t.notes.name),
                      strip = QString::fromStdString(t.notes.strip),
                      notes = QString::fromStdString(t.notes.notes);
        if (!wanted.isEmpty() && !(name + ' ' + strip + ' ' + notes).contains(wanted, Qt::CaseInsensitive))
            continue;
        const QString length =
            t.problem.empty() ? tr("%1 s").arg(t.seconds(), 0, 'f', 1) : QString::fromStdString(t.problem);
        auto* item = new QListWidgetItem(name, list_);
        item->setData(TakeRow::kFile, QString::fromStdString(t.path.string()));
        item->setData(TakeRow::kName, name);
        item->setData(TakeRow::kLength, length);
        item->setData(TakeRow::kBroken, !t.problem.empty());
        setHint(item, tr("%1, %2, %3").arg(length, strip, QString::fromStdString(t.notes.device)));
        if (t.path == takes_.chosen().path) list_->setCurrentItem(item);
    }
    filling_ = false;
}

/// What could not be done, unless it is empty.
void TakesPage::warn(const QString& why) {
    if (!why.isEmpty()) actions_.strip().notices().warn(why);
}

void TakesPage::showState() {
    const bool chosen = !takes_.chosen().path.empty();
    const Keys& keys = actions_.app().preferences().keys();
    setHint(keep_, keys.hint(tr("Save what you just said as a take"), "save-take"));
    record_->setChecked(takes_.recording());
    record_->setText(takes_.recording() ? tr("Stop: %1 s").arg(takes_.recordedSeconds(), 0, 'f', 0)
                                        : tr("Record"));
    loop_->setChecked(takes_.looping());
    loop_->setText(takes_.looping() ? tr("Stop the loop") : tr("Loop"));
    setHint(loop_,
            keys.hint(tr("Loop this take instead of the microphone. The microphone is muted meanwhile."),
                      "loop"));
    loop_->setEnabled(chosen);
    against_->setEnabled(chosen);
    against_->setText(takes_.comparing() ? tr("Stop comparing") : tr("Compare"));
    const BlindTest* blind = takes_.blind();
    side_->setVisible(takes_.comparing() && blind == nullptr);
    side_->setChecked(takes_.sideB());
    side_->setText(tr("Playing: %1").arg(takes_.sideName(takes_.sideB())));
    setHint(side_, keys.hint(tr("Switch sides"), "switch-comparison"));
    blind_->setVisible(takes_.comparing());
    blind_->setText(blind != nullptr ? tr("Stop blind test") : tr("Blind test"));
    QString words;
    auto tone = FindingTone::neutral;
    if (blind != nullptr && blind->done()) {
        words = tr("%1 of %2 correct. Guessing would do this well in %3% of tests.")
                    .arg(blind->right())
                    .arg(BlindTest::kRounds)
                    .arg(100.0 * blind->chance(), 0, 'f', 1);
        tone = blind->chance() < 0.05 ? FindingTone::good : FindingTone::neutral;
    } else if (blind != nullptr) {
        words =
            tr("Round %1 of %2. A: %3, B: %4. Which one is X? Press 1, 2 or X to listen, A or B to answer.")
                .arg(blind->round())
                .arg(BlindTest::kRounds)
                .arg(takes_.sideName(false), takes_.sideName(true));
    } else if (takes_.comparing()) {
        words = takes_.matched().isEmpty() ? tr("Rendering both sides…") : takes_.matched();
    } else if (takes_.looping()) {
        words = takes_.aloud() ? tr("Your audience hears this.") : takes_.silenceText() + '.';
        if (const TakeReport* all = takes_.report(); all != nullptr && all->made.integrated_lufs)
            words += tr(" %1 LUFS before, %2 after.")
                         .arg(all->plain.integrated_lufs.value_or(-99.0), 0, 'f', 1)
                         .arg(*all->made.integrated_lufs, 0, 'f', 1);
        tone = takes_.aloud() ? FindingTone::warning : FindingTone::neutral;
    } else if (const TakeReport* r = takes_.report(); r != nullptr && !r->course.cuts.empty()) {
        words = tr("%1 words are cut off. Press C for the next one.").arg(r->course.cuts.size());
        tone = FindingTone::warning;
    } else if (const TakeReport* all = takes_.report(); all != nullptr && all->made.integrated_lufs) {
        words = tr("%1 LUFS before, %2 LUFS after.")
                    .arg(all->plain.integrated_lufs.value_or(-99.0), 0, 'f', 1)
                    .arg(*all->made.integrated_lufs, 0, 'f', 1);
    }
    // What takes its time goes before all of that.
    if (const QString now = takes_.work().words(); !now.isEmpty()) {
        words = now;
        tone = FindingTone::neutral;
    }
    end_->setVisible(takes_.work().canEnd());
    told_->show(tone, words);
    resizeEvent(nullptr);
}

void TakesPage::resizeEvent(QResizeEvent*) {
    find_->setGeometry(kEdge, kEdge, kListWidth - kEdge, 30);
    list_->setGeometry(kEdge, kEdge + 36, kListWidth - kEdge, height() - 2 * kEdge - 36);
    const int left = kListWidth + 12;
    int x = left;
    for (FlatButton* b : {keep_, record_, loop_, against_, side_, blind_}) {
        if (b->isHidden()) continue;
        const int w = b->sizeHint().width();
        b->setGeometry(x, kEdge, w, kHeight);
        x += w + 6;
    }
    more_->setGeometry(width() - kEdge - more_->sizeHint().width(), kEdge, more_->sizeHint().width(),
                       kHeight);
    wave_->setGeometry(left, kEdge + kHeight + 8, width() - left - kEdge,
                       height() - 2 * kEdge - kHeight - 38);
    const int end = end_->isHidden() ? 0 : end_->sizeHint().width() + 12;
    told_->setGeometry(left, height() - kEdge - 24, width() - left - kEdge - end, 24);
    end_->setGeometry(width() - kEdge - end + 12, height() - kEdge - 26, end - 12, 28);
}

void TakesPage::keyPressEvent(QKeyEvent* event) {
    if (takes_.blind() != nullptr && event->modifiers() == Qt::NoModifier) {
        switch (event->key()) {
            case Qt::Key_A:
                return takes_.answer(false);
            case Qt::Key_B:
                return takes_.answer(true);
            case Qt::Key_1:
                return takes_.chooseSide(false);
            case Qt::Key_2:
                return takes_.chooseSide(true);
            case Qt::Key_X:
                return takes_.hearX();
            default:
                break;
        }
    }
    if (event->key() == Qt::Key_Escape && takes_.work().canEnd()) return takes_.work().end();
    if (event->key() == Qt::Key_Delete) return takes_.remove();
    if (event->key() == Qt::Key_F2) return askName();
    QWidget::keyPressEvent(event);
}

/// A list at its end has no use for the wheel; it must not turn a value of the chain then.
void TakesPage::wheelEvent(QWheelEvent* event) {
    event->accept();
}

void TakesPage::openKeep() {
    auto* menu = new QMenu(this);
    menu->setObjectName("keep_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (const double s : {5.0, 10.0, 20.0, 60.0})
        menu->addAction(tr("Save last %1 s").arg(s), &takes_, [this, s] { warn(takes_.keep(s)); });
    if (actions_.app().mixer().count(StripRole::voice) > 1) {
        menu->addSeparator();
        menu->addAction(tr("The last 20 s of all voices"), &takes_,
                        [this] { warn(takes_.keep(20.0, true)); });
        menu->addAction(tr("Record all voices"), &takes_, [this] { warn(takes_.record(true)); });
    }
    menu->popup(keep_->mapToGlobal(QPoint(0, keep_->height())));
}

void TakesPage::openAgainst() {
    if (takes_.comparing()) return takes_.endComparison();
    using What = ComparisonTarget::What;
    auto* menu = new QMenu(this);
    menu->setObjectName("against_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const auto add = [&](QMenu* to, const QString& title, What what, const QString& name = {}) {
        to->addAction(QString(title).replace('&', "&&"), &takes_, [this, what, name] {
            takes_.compare({what, name});
        });
    };
    const StripModel& s = actions_.strip();
    const StageSpec* stage = s.chainModel().stage(s.chainModel().focused());
    add(menu, tr("With unprocessed"), What::plain);
    if (stage != nullptr) {
        const QString title = QString::fromStdString(stage->shown_title());
        add(menu, tr("Without %1").arg(title), What::without_stage);
        if (s.chainModel().state()->memories.contains(stage->id))
            add(menu, tr("With the other settings (A/B) of %1").arg(title), What::other_memory);
        menu->addSeparator();
        add(menu, tr("What %1 removes").arg(title), What::stage_taken_away);
    }
    add(menu, tr("What the chain removes"), What::taken_away);
    menu->addSeparator();
    QMenu* scenes = menu->addMenu(tr("With a scene"));
    scenes->setObjectName("against_scenes");
    for (const auto& entry : actions_.app().scenes().scenes())
        add(scenes, QString::fromStdString(entry.scene.name), What::scene,
            QString::fromStdString(entry.scene.name));
    QMenu* takes = menu->addMenu(tr("With another take"));
    takes->setObjectName("against_takes");
    for (const Take& t : takes_.all()) {
        if (t.path == takes_.chosen().path || !t.problem.empty() || takes->actions().size() >= 20) continue;
        add(takes, QString::fromStdString(t.notes.name), What::take,
            QString::fromStdString(t.path.filename()));
    }
    takes->setEnabled(!takes->isEmpty());
    menu->popup(against_->mapToGlobal(QPoint(0, against_->height())));
}

void TakesPage::openMore() {
    auto* menu = new QMenu(this);
    menu->setObjectName("take_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const bool chosen = !takes_.chosen().path.empty();
    const auto add = [&](const QString& title, bool possible, auto does) {
        menu->addAction(title, this, does)->setEnabled(possible);
    };
    const QString sounds = tr("Audio files (*.wav *.flac *.ogg *.opus *.aiff);;All files (*)");
    const QString written = tr("FLAC (*.flac);;WAV (*.wav);;Opus (*.opus)");
    add(tr("Import audio file…"), true, [this, sounds] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Import an audio file"), {}, sounds);
        if (!file.isEmpty()) takes_.import(file);
    });
    const auto out = [this, written](const auto& write) {
        const QString file = QFileDialog::getSaveFileName(
            this, tr("Export the take"),
            QString::fromStdString(takes_.chosen().path.stem().string()) + ".flac", written);
        if (!file.isEmpty()) write(file);
    };
    add(tr("Export unprocessed…"), chosen,
        [this, out] { out([this](const QString& file) { takes_.exportTo(file, false); }); });
    add(tr("Export processed…"), chosen,
        [this, out] { out([this](const QString& file) { takes_.exportTo(file, true); }); });
    add(tr("Export both…"), chosen,
        [this, out] { out([this](const QString& file) { takes_.exportBoth(file); }); });
    add(tr("Export report (HTML)…"), chosen, [this] {
        const QString file =
            QFileDialog::getSaveFileName(this, tr("Report"), "report.html", tr("Page (*.html)"));
        if (!file.isEmpty()) takes_.writeReport(file);
    });
    menu->addSeparator();
    QAction* aloud =
        menu->addAction(tr("Send loop to output"), &takes_, [this] { takes_.setAloud(!takes_.aloud()); });
    aloud->setCheckable(true);
    aloud->setChecked(takes_.aloud());
    menu->addSeparator();
    add(tr("Trim to selection"), chosen && takes_.to() - takes_.from() < takes_.chosen().seconds() - 0.001,
        [this] { takes_.trim(); });
    add(tr("Rename…\tF2"), chosen, [this] { askName(); });
    add(tr("Remove\tDel"), chosen, [this] { takes_.remove(); });
    add(tr("Restore removed take"), takes_.canRestoreRemoved(), [this] { takes_.restoreRemoved(); });
    menu->popup(more_->mapToGlobal(QPoint(more_->width() - menu->sizeHint().width(), more_->height())));
}

void TakesPage::askName() {
    if (takes_.chosen().path.empty()) return;
    bool taken = false;
    const QString name = QInputDialog::getText(this, tr("Dusky Reed"), tr("Take name:"), QLineEdit::Normal,
                                               QString::fromStdString(takes_.chosen().notes.name), &taken);
    if (taken) takes_.rename(name);
}

void TakesPage::paintEvent(QPaintEvent*) {
    QPainter p(this);
    paintPanelGround(p, *this);
}

}  // namespace reed::ui
