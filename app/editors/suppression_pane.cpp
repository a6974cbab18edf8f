#include "editors/suppression_pane.h"

#include <QHBoxLayout>
#include <QPainter>
#include <QVBoxLayout>

#include "editors/field_grid.h"
#include "editors/suppression_view.h"
#include "model/strips/noise_profile_learner.h"
#include "model/strips/strip_model.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

size_t row(const char* id) {
    return static_cast<size_t>(kSuppressionStage.find(id));
}

}  // namespace

MethodButton::MethodButton(const QString& title, const QString& words, QWidget* parent)
    : QAbstractButton(parent), words_(words) {
    setText(title);
    setCheckable(true);
    setAutoExclusive(true);
    setFocusPolicy(Qt::StrongFocus);
    setAttribute(Qt::WA_Hover);
    setCursor(Qt::PointingHandCursor);
    setHint(this, words);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setMinimumHeight(46);
    setMaximumHeight(66);
    setAccessibleName(title);
    setCost({});
}

void MethodButton::setCost(const QString& cost) {
    if (cost == cost_ && !accessibleDescription().isEmpty()) return;
    cost_ = cost;
    setAccessibleDescription(words_ + (cost.isEmpty() ? QString() : " " + cost));
    update();
}

void MethodButton::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF box = QRectF(rect()).adjusted(1, 1, -1, -1);
    p.setPen(hasFocus() ? QPen(t.marsh, 1.6) : (isChecked() ? QPen(t.straw, 1.2) : QPen(t.line, 1.0)));
    p.setBrush(isChecked() ? t.chosen : (underMouse() ? t.raised : t.panel));
    p.drawRoundedRect(box, 6, 6);
    const QRectF inside = box.adjusted(12, 4, -10, -4);
    const double line = inside.height() / 2.0;
    p.setFont(ui::font(14, true));
    p.setPen(t.text);
    p.drawText(QRectF(inside.left(), inside.top(), inside.width(), line), Qt::AlignLeft | Qt::AlignVCenter,
               text());
    p.setFont(ui::font(12));
    p.setPen(isChecked() ? t.text : t.muted);
    p.drawText(QRectF(inside.left(), inside.top(), inside.width(), line), Qt::AlignRight | Qt::AlignVCenter,
               cost_);
    p.drawText(QRectF(inside.left(), inside.top() + line, inside.width(), line),
               Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(words_, Qt::ElideRight, static_cast<int>(inside.width())));
}

SuppressionPane::SuppressionPane(StripModel& strip, const StageRef& stage, QWidget* parent)
    : StagePane(strip, stage, parent) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(16);
    auto* side = new QWidget(this);
    side->setFixedWidth(264);
    buildMethods(side);
    line->addWidget(side);
    view_ = new SuppressionView(strip_, stage, this);
    line->addWidget(view_, 5);
    auto* right = new QWidget(this);
    right->setFixedWidth(206);
    auto* column = new QVBoxLayout(right);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    grid_ = new FieldGrid(strip_, stage, right);
    grid_->build({row("amount"), row("counts"), row("delay"), row("smoothing"), row("hum"),
                  row("hum_frequency"), row("hum_tones")},
                 7);
    column->addWidget(grid_);
    kept_ = new Words(Words::Ink::muted, right);
    kept_->setObjectName("kept_words");
    kept_->setWordWrap(true);
    kept_->setFont(ui::font(12));
    auto* indented = new QHBoxLayout;
    indented->setContentsMargins(6, 0, 0, 0);
    indented->addWidget(kept_);
    column->addLayout(indented);
    column->addStretch(1);
    removed_ = new FlatButton(tr("Listen to removed signal"), right);
    removed_->setObjectName("removed_button");
    removed_->setWeight(FlatButton::Weight::raised);
    removed_->setCheckable(true);
    setHint(removed_, tr("Input minus output. If you hear words, the suppression is too strong. Your "
                         "audience hears this too until you turn it off."));
    connect(removed_, &FlatButton::clicked, this,
            [this](bool on) { stage_.set(row("removed"), on ? 1.0 : 0.0); });
    column->addWidget(removed_);
    line->addWidget(right);

    connect(&strip_.learning(), &NoiseProfileLearner::changed, this, &SuppressionPane::showLearning);
    connect(&strip_, &StripModel::readingsChanged, this, [this] {
        if (isVisible() && ++ticks_ % 33 == 0) showCosts();
    });
    connect(&strip_.input(), &InputController::inputChanged, this, &SuppressionPane::measureCosts);
    refresh();
}

void SuppressionPane::buildMethods(QWidget* side) {
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    const QString titles[] = {tr("Adaptive"), tr("Neural"), tr("Noise profile")};
    const QString words[] = {tr("Tracks steady noise: fans, hiss, rain, traffic"),
                             tr("Changing noise too; recognises speech"),
                             tr("Uses a noise profile learned from silence")};
    for (int i = 0; i < 3; ++i) {
        auto* b = new MethodButton(titles[i], words[i], side);
        b->setObjectName(QString("method_%1").arg(i));
        connect(b, &MethodButton::clicked, this, [this, i] { stage_.set(row("method"), i); });
        column->addWidget(b);
        methods_[static_cast<size_t>(i)] = b;
    }
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(6);
    learn_ = new FlatButton(tr("Learn noise profile"), side);
    learn_->setObjectName("learn_button");
    learn_->setWeight(FlatButton::Weight::raised);
    connect(learn_, &FlatButton::clicked, this, [this] {
        NoiseProfileLearner& l = strip_.learning();
        if (l.state() == NoiseProfileLearner::State::idle)
            l.start(stage_.id());
        else
            l.cancel();
    });
    hum_ = new FlatButton(tr("Find hum"), side);
    hum_->setObjectName("find_hum_button");
    hum_->setWeight(FlatButton::Weight::raised);
    setHint(hum_, tr("Detects mains hum in the last ten seconds and sets the hum filter"));
    connect(hum_, &FlatButton::clicked, this, [this] { strip_.learning().search(stage_.id()); });
    buttons->addWidget(learn_, 1);
    buttons->addWidget(hum_, 1);
    column->addLayout(buttons);
}

void SuppressionPane::measureCosts() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    const double rate = strip_.engine().format().sample_rate;
    const bool short_delay = s->values[row("delay")] >= 0.5;
    if (rate == measured_rate_ && short_delay == measured_short_) return;
    measured_rate_ = rate;
    measured_short_ = short_delay;
    strip_.background().run(
        [rate, short_delay] {
            std::array<MethodCost, 3> out;
            for (int k = 0; k < 3; ++k)
                out[static_cast<size_t>(k)] =
                    measure_method(static_cast<SuppressionKind>(k), rate, short_delay);
            return out;
        },
        [self = QPointer(this)](const std::array<MethodCost, 3>& costs) {
            if (!self) return;
            self->costs_ = costs;
            self->showCosts();
        });
}

void SuppressionPane::showCosts() {
    for (size_t k = 0; k < 3; ++k) {
        const MethodCost& c = costs_[k];
        if (c.delay_ms <= 0.0) continue;
        methods_[k]->setCost(
            tr("%1 ms   %2% CPU (one core)").arg(c.delay_ms, 0, 'f', 0).arg(100.0 * c.share, 0, 'f', 1));
    }
}

void SuppressionPane::showLearning() {
    const StageSpec* s = stage_.spec();
    const NoiseProfileLearner& l = strip_.learning();
    const bool mine = l.state() != NoiseProfileLearner::State::idle && l.stage() == stage_.id();
    learn_->setText(
        mine ? tr("Cancel")
             : (s != nullptr && !s->taught.empty() ? tr("Learn again") : tr("Learn noise profile")));
    setHint(learn_, tr("Stay silent for five seconds to record the background noise"));
    hum_->setEnabled(!mine);
}

void SuppressionPane::refresh() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    grid_->refresh();
    const auto kind = static_cast<SuppressionKind>(static_cast<int>(s->values[row("method")]));
    methods_[static_cast<size_t>(kind)]->setChecked(true);
    for (auto* m : methods_) m->update();
    removed_->setChecked(s->values[row("removed")] >= 0.5);
    const bool neural = kind == SuppressionKind::neural;
    const bool voice_only = neural && s->values[row("counts")] >= 0.5;
    grid_->setRelevant(row("counts"), neural);
    grid_->setRelevant(row("smoothing"), !neural);
    const bool hum = s->values[row("hum")] >= 0.5;
    grid_->setRelevant(row("hum_frequency"), hum);
    grid_->setRelevant(row("hum_tones"), hum);
    kept_->setText(voice_only ? tr("Keeps speech, including other people and television. Removes key clicks, "
                                   "mouse and barking; may remove screams, whispers and sustained notes.")
                   : neural
                       ? tr("Keeps singing, shouting, whispers, other people and anything clearly louder "
                            "than the noise, including key clicks and music.")
                       : tr("Keeps singing, shouting, whispers, other people, television, music, key clicks "
                            "and barking. Sounds that last longer than 15 s are treated as noise."));
    kept_->setVisible(!hum);
    learn_->setEnabled(kind == SuppressionKind::room_tone);
    measureCosts();
    showLearning();
}

}  // namespace reed::ui
