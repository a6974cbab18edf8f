#include "rail/balance_view.h"

#include <QInputDialog>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "actions/actions.h"
#include "model/strips/mix_balance_model.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"
#include "widgets/strip_marker.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr double kQuietest = -60.0;  // LUFS

/// Colour of the first programme.
QColor programmeColour(AppModel& app) {
    for (StripModel* strip : app.mixer().strips()) {
        if (strip->liveStrip().role() == StripRole::programme)
            return stripColour(strip->chainModel().spec().colour);
    }
    return theme().room;
}

}  // namespace

BalanceView::BalanceView(Actions& actions, QWidget* parent) : QWidget(parent), actions_(actions) {
    setObjectName("balance_view");
    setAccessibleName(tr("Voice/app loudness balance"));
    verdict_ = new Words(Words::Ink::muted, this);
    verdict_->setObjectName("balance_verdict");
    verdict_->setFont(ui::font(15));
    const auto button = [&](const char* name) {
        auto* b = new FlatButton({}, this);
        b->setObjectName(name);
        b->setWeight(FlatButton::Weight::raised);
        return b;
    };
    fader_ = button("balance_fader");
    duck_ = button("balance_duck");
    distance_ = button("balance_distance");
    setHint(distance_,
            tr("Target: how far app audio stays below the voices during speech. 10 to 15 LU is common."));
    setHint(fader_, tr("Adjust the app audio fader (can be undone)"));
    setHint(duck_, tr("Duck app audio by this amount during speech"));
    MixBalanceModel& balance = actions_.app().mixBalance();
    connect(fader_, &FlatButton::clicked, this, [&balance] { balance.offsetAppAudio(balance.wantedMove()); });
    connect(duck_, &FlatButton::clicked, this,
            [&balance] { balance.increaseDucking(-balance.wantedMove()); });
    connect(distance_, &FlatButton::clicked, this, &BalanceView::chooseDistance);
    connect(&balance, &MixBalanceModel::changed, this, [this] {
        if (!isVisible()) return;
        judge();
        update();
    });
    connect(&actions_.app().mixer(), &MixerModel::changed, this, [this] {
        if (isVisible()) judge();
    });
    judge();
}

QRectF BalanceView::plot() const {
    return QRectF(rect()).adjusted(58, 44, -70, -58);
}

void BalanceView::showEvent(QShowEvent*) {
    judge();
}

void BalanceView::judge() {
    const MixBalanceModel& balance = actions_.app().mixBalance();
    const MixerModel& desk = actions_.app().mixer();
    verdict_->show(balance.finding());
    const double move = balance.wantedMove();
    fader_->setVisible(move != 0.0);
    duck_->setVisible(move < 0.0);
    fader_->setText(move < 0.0 ? tr("Lower by %1 dB").arg(-move) : tr("Raise by %1 dB").arg(move));
    duck_->setText(tr("Duck by %1 dB").arg(std::min(-move, 12.0)));
    const auto [min, max] = desk.targetDistance();
    distance_->setText(tr("Target: %1 to %2 LU").arg(min).arg(max));
    place();
}

void BalanceView::place() {
    int right = width() - 16;
    for (FlatButton* b : {distance_, duck_, fader_}) {
        if (b->isHidden()) continue;
        b->resize(b->sizeHint().width(), 30);
        b->move(right - b->width(), height() - 40);
        right -= b->width() + 8;
    }
    verdict_->setGeometry(20, height() - 40, right - 24, 30);
}

void BalanceView::resizeEvent(QResizeEvent*) {
    place();
}

void BalanceView::chooseDistance() {
    auto* menu = new QMenu(this);
    menu->setObjectName("distance_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    MixerModel* desk = &actions_.app().mixer();
    // Choices, none of them from a standard (common practice, no source).
    const std::pair<double, double> usual[] = {{6.0, 10.0}, {10.0, 15.0}, {15.0, 20.0}, {20.0, 25.0}};
    const char* words[] = {QT_TR_NOOP("%1 to %2 LU: close, e.g. for playing along"),
                           QT_TR_NOOP("%1 to %2 LU: typical"), QT_TR_NOOP("%1 to %2 LU: quiet background"),
                           QT_TR_NOOP("%1 to %2 LU: barely audible")};
    for (size_t i = 0; i < std::size(usual); ++i) {
        const auto [least, most] = usual[i];
        QAction* a =
            menu->addAction(tr(words[i]).arg(least).arg(most), desk,
                            [desk, low = least, high = most] { desk->setTargetDistance(low, high); });
        a->setCheckable(true);
        a->setChecked(desk->targetDistance() == std::pair(least, most));
    }
    menu->popup(distance_->mapToGlobal(QPoint(0, distance_->height())));
}

void BalanceView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    paintPanelGround(p, *this);
    const QRectF r = plot();
    axis_.paint(p, r, 0, 10, r.left() - 10);
    p.setPen(t.muted);
    p.drawText(QRectF(0, 14, r.left() - 10, 16), Qt::AlignRight, tr("LUFS"));
    p.drawText(QRectF(r.left(), r.bottom() + 2, 120, 16), Qt::AlignLeft, tr("a minute ago"));
    p.drawText(QRectF(r.right() - 60, r.bottom() + 2, 60, 16), Qt::AlignRight, tr("now"));
    AppModel& app = actions_.app();
    const MixBalanceModel& balance = app.mixBalance();
    if (balance.voices() == nullptr || balance.programme() == nullptr) {
        p.setFont(ui::font(15));
        p.drawText(r, Qt::AlignCenter, tr("Add an app audio strip to compare loudness."));
        return;
    }
    const QColor programme = programmeColour(app);
    const auto column = [&](size_t i, size_t n) {
        return r.right() -
               static_cast<double>(n - 1 - i) * LoudnessTrack::kStep / MixBalanceModel::kSeconds * r.width();
    };
    const auto& voices = balance.voices()->points();
    const auto& under = balance.programme()->points();
    const auto [least, most] = app.mixer().targetDistance();
    // The target range below the voices, during speech.
    p.setRenderHint(QPainter::Antialiasing, false);
    for (size_t i = 1; i < voices.size(); ++i) {
        if (!voices[i].momentary || *voices[i].momentary < -50.0 || !voices[i].short_term) continue;
        const double x = column(i - 1, voices.size()), next = column(i, voices.size());
        QColor band = t.marsh;
        band.setAlpha(46);
        p.fillRect(QRectF(QPointF(x, axis_.y(r, *voices[i].short_term - least)),
                          QPointF(next, axis_.y(r, *voices[i].short_term - most))),
                   band);
    }
    p.setRenderHint(QPainter::Antialiasing);
    const auto line = [&](const auto& points, const QColor& colour) {
        QPainterPath path;
        bool open = false;
        double last = kQuietest;
        for (size_t i = 0; i < points.size(); ++i) {
            if (!points[i].short_term || *points[i].short_term <= kQuietest) {
                open = false;
                continue;
            }
            const QPointF at(column(i, points.size()), axis_.y(r, *points[i].short_term));
            open ? path.lineTo(at) : path.moveTo(at);
            open = true;
            last = *points[i].short_term;
        }
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(colour, 2.2));
        p.drawPath(path);
        return last;
    };
    const double programme_now = line(under, programme), voice_now = line(voices, t.straw);
    p.setFont(ui::font(14, true));
    const auto figure = [&](double now, const QColor& colour) {
        if (now <= kQuietest) return;
        p.setPen(colour);
        p.drawText(QRectF(r.right() + 6, axis_.y(r, now) - 10, 60, 20), Qt::AlignLeft | Qt::AlignVCenter,
                   QString::number(now, 'f', 0));
    };
    figure(voice_now, t.straw);
    if (std::abs(axis_.y(r, voice_now) - axis_.y(r, programme_now)) > 16.0) figure(programme_now, programme);
    // What is what.
    p.setFont(ui::font(13));
    double x = r.left();
    const auto name = [&](const QString& words, const QColor& colour) {
        p.setPen(QPen(colour, 3));
        p.drawLine(QPointF(x, 24), QPointF(x + 18, 24));
        p.setPen(t.text);
        const int w = p.fontMetrics().horizontalAdvance(words);
        p.drawText(QRectF(x + 24, 14, w + 4, 20), Qt::AlignLeft | Qt::AlignVCenter, words);
        x += w + 50;
    };
    name(tr("Voices"), t.straw);
    name(tr("App audio"), programme);
    QColor band = t.marsh;
    band.setAlpha(110);
    name(tr("target during speech"), band);
    if (const auto d = balance.now().distance) {
        p.setPen(t.text);
        p.setFont(ui::font(16, true));
        p.drawText(QRectF(r.right() - 160, 10, 160 + 60, 26), Qt::AlignRight | Qt::AlignVCenter,
                   *d >= 0.0 ? tr("%1 LU below").arg(*d, 0, 'f', 0) : tr("%1 LU above").arg(-*d, 0, 'f', 0));
    }
}

// ---- the button ----

BalanceButton::BalanceButton(Actions& actions, QWidget* parent) : QWidget(parent), actions_(actions) {
    setObjectName("balance_button");
    setFocusPolicy(Qt::StrongFocus);
    setFixedHeight(32);
    connect(&actions_.app().mixBalance(), &MixBalanceModel::changed, this, &BalanceButton::follow);
    follow();
}

void BalanceButton::setShown(bool shown) {
    shown_ = shown;
    setAccessibleName(shown ? tr("Balance, shown") : tr("Balance"));
    update();
}

void BalanceButton::follow() {
    const MixBalanceModel& balance = actions_.app().mixBalance();
    const auto d = balance.now().distance;
    const QString figure =
        !d ? QStringLiteral("--")
           : tr("%1 LU %2").arg(std::abs(*d), 0, 'f', 0).arg(*d < 0.0 ? tr("above") : tr("below"));
    const Finding f = balance.finding();
    const QString words = Words::of(f);
    const bool warns = f.tone == FindingTone::warning;
    if (figure == figure_ && warns == warns_ && words == words_) return;
    figure_ = figure;
    warns_ = warns;
    words_ = words;
    setHint(this, words);
    setAccessibleDescription(words);
    update();
}

void BalanceButton::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.fillRect(rect(), t.window);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(hasFocus() ? QPen(t.marsh, 1.5) : QPen(Qt::NoPen));
    p.setBrush(shown_ ? t.chosen : t.panel);
    p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 8, 8);
    p.setFont(ui::font(13));
    p.setPen(t.muted);
    p.drawText(QRectF(10, 0, width() - 20, height()), Qt::AlignLeft | Qt::AlignVCenter, tr("Balance"));
    p.setFont(ui::font(14, true));
    p.setPen(warns_ ? t.ember : t.text);
    p.drawText(QRectF(10, 0, width() - 20, height()), Qt::AlignRight | Qt::AlignVCenter, figure_);
}

void BalanceButton::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) emit pressed(!shown_);
}

void BalanceButton::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Space || event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)
        emit pressed(!shown_);
    else
        QWidget::keyPressEvent(event);
}

}  // namespace reed::ui
