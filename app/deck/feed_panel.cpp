#include "deck/feed_panel.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "deck/popups.h"
#include "session/monitoring.h"
#include "session/session.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

QString number(const std::optional<double>& v) {
    return v && *v > -70.0 ? QString::number(*v, 'f', 1) : QStringLiteral("--");
}

constexpr double kQuietest = -50.0, kTarget = -16.0;
constexpr size_t kHeard = 20;  // of half a second
constexpr int kWait = 7;       // of them, until the three seconds before a change are over

}  // namespace

FeedPanel::FeedPanel(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    setObjectName("feed_panel");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Feed"));
    restart_ = new FlatButton(tr("Start anew"), this);
    restart_->setToolTip(tr("Measure loudness, true peak and levels from now on"));
    restart_->setObjectName("restart_button");
    connect(restart_, &FlatButton::clicked, this, [this] {
        session_.readings().restart();
        follow();
        update();
    });
    verdict_ = new Words(Words::Ink::muted, this);
    verdict_->setObjectName("feed_verdict");
    verdict_->setFont(ui::font(14));
    apply_ = new FlatButton({}, this);
    apply_->setObjectName("verdict_button");
    apply_->setWeight(FlatButton::Weight::raised);
    connect(apply_, &FlatButton::clicked, this, &FeedPanel::apply);
    monitor_ = new FlatButton({}, this);
    monitor_->setObjectName("monitor_button");
    monitor_->setIconName("ear");
    connect(monitor_, &FlatButton::clicked, this, [this] {
        auto* popup = new MonitorPopup(session_, this);
        popup->adjustSize();
        popup->move(
            monitor_->mapToGlobal(QPoint(monitor_->width() - popup->width(), monitor_->height() + 4)));
        popup->show();
        monitor_->setChecked(session_.monitoring().settings().source != MonitorSource::off);
    });
    const auto hints = [this] {
        const QString undo = session_.keys().text("undo");
        apply_->setToolTip(undo.isEmpty() ? tr("The first thing to turn")
                                          : tr("The first thing to turn. %1 takes it back").arg(undo));
        const QString key = session_.keys().text("headphones");
        monitor_->setToolTip(key.isEmpty() ? tr("What the headphones get")
                                           : tr("What the headphones get (%1: on and off)").arg(key));
    };
    connect(&session_.keys(), &Keys::changed, this, hints);
    hints();
    const auto show_monitor = [this] {
        const QString words[] = {tr("Off"), tr("Feed"), tr("Plain mic"), tr("Taken away"), tr("One stage")};
        const auto source = session_.monitoring().settings().source;
        monitor_->setText(words[static_cast<int>(source)]);
        monitor_->setAccessibleName(tr("Monitor: %1").arg(monitor_->text()));
        monitor_->setCheckable(true);
        monitor_->setChecked(source != MonitorSource::off);
        placeButtons();
    };
    connect(&session_.monitoring(), &Monitoring::changed, this, show_monitor);
    show_monitor();
    judge();
    connect(&session_, &Session::chainChanged, this, &FeedPanel::listenAnew);
    connect(&session_, &Session::inputChanged, this, &FeedPanel::listenAnew);
    connect(&session_, &Session::readingsChanged, this, &FeedPanel::follow);
    connect(&session_, &Session::muteChanged, this, [this] { update(); });
}

void FeedPanel::resizeEvent(QResizeEvent*) {
    placeButtons();
}

void FeedPanel::placeButtons() {
    restart_->resize(restart_->sizeHint());
    restart_->move(width() - restart_->width() - 8, 8);
    monitor_->resize(monitor_->sizeHint());
    monitor_->move(restart_->x() - monitor_->width() - 4, 8);
    apply_->resize(apply_->sizeHint().width(), 28);
    apply_->move(width() - apply_->width() - 14, 123);
    verdict_->setGeometry(18, 123, (apply_->isHidden() ? width() : apply_->x()) - 26, 28);
}

/// By the loudness of the last ten seconds of talk since the chain was changed: what went out before says
/// nothing about what does now.
void FeedPanel::judge() {
    const LoudnessReading& feed = session_.readings().feed();
    if (wait_ > 0) {
        --wait_;
    } else if (session_.levels().speaking && feed.short_term) {
        heard_.push_back(*feed.short_term);
        if (heard_.size() > kHeard) heard_.pop_front();
    }
    std::optional<double> loudness;
    if (heard_.size() >= kHeard / 4) {
        std::vector<double> sorted(heard_.begin(), heard_.end());
        std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2),
                         sorted.end());
        loudness = sorted[sorted.size() / 2];
    }
    proposed_ = session_.levelsFit() ? feed_finding(session_.chain(), session_.levels(), loudness, kTarget)
                                     : FeedFinding{};
    verdict_->show(proposed_.finding);
    apply_->setVisible(proposed_.finding.proposal.has_value());
    if (proposed_.finding.proposal) apply_->setText(Words::of(*proposed_.finding.proposal));
    placeButtons();
}

void FeedPanel::apply() {
    if (!proposed_.finding.proposal || proposed_.stage >= session_.chain().stages.size()) return;
    session_.apply(session_.chain().stages[proposed_.stage].id, *proposed_.finding.proposal,
                   Words::of(*proposed_.finding.proposal));
}

void FeedPanel::listenAnew() {
    heard_.clear();
    wait_ = kWait;
    judge();
}

void FeedPanel::follow() {
    if (!isVisible()) return;
    if (++ticks_ % 15 == 0) judge();
    const LoudnessReading& l = session_.readings().feed();
    const QString s = number(l.short_term);
    const QString i = number(l.integrated);
    const QString p = number(l.true_peak);
    const double bar = std::round(2.0 * std::clamp(l.momentary.value_or(-80.0), -80.0, 0.0)) / 2.0;
    if (s == short_term_ && i == integrated_ && p == peak_ && bar == bar_) return;
    short_term_ = s;
    integrated_ = i;
    peak_ = p;
    bar_ = bar;
    setAccessibleDescription(tr("Loudness %1 LUFS, true peak %2 dBTP").arg(s, p));
    update();
}

void FeedPanel::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.fillRect(rect(), t.window);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(t.panel);
    p.drawRoundedRect(rect(), 10, 10);
    p.setPen(t.text);
    p.setFont(ui::font(18, true));
    p.drawText(QRectF(18, 10, 160, 26), Qt::AlignLeft | Qt::AlignVCenter, tr("Feed"));

    const double third = (width() - 36) / 3.0;
    const auto figure = [&](int column, const QString& value, const QString& unit, const QString& what,
                            bool hot) {
        const double x = 18 + column * third;
        p.setFont(ui::font(third < 110.0 ? 21 : 26));
        p.setPen(hot ? t.ember : t.text);
        const double w = p.fontMetrics().horizontalAdvance(value);
        p.drawText(QRectF(x, 36, third, 34), Qt::AlignLeft | Qt::AlignVCenter, value);
        p.setFont(ui::font(12));
        p.setPen(t.muted);
        p.drawText(QRectF(x + w + 4, 44, third, 20), Qt::AlignLeft | Qt::AlignVCenter, unit);
        p.drawText(QRectF(x, 67, third, 16), Qt::AlignLeft | Qt::AlignVCenter, what);
    };
    const auto peak = session_.readings().feed().true_peak;
    const bool hot = peak && *peak > -0.9;
    figure(0, short_term_.isEmpty() ? "--" : short_term_, tr("LUFS"), tr("last 3 s"), false);
    figure(1, integrated_.isEmpty() ? "--" : integrated_, tr("LUFS"), tr("since start"), false);
    figure(2, peak_.isEmpty() ? "--" : peak_, tr("dBTP"), hot ? tr("true peak, over") : tr("true peak"), hot);

    const QRectF track(18, 92, width() - 36, 10);
    const auto x_of = [&](double lufs) {
        return track.left() + std::clamp((lufs - kQuietest) / -kQuietest, 0.0, 1.0) * track.width();
    };
    p.setPen(Qt::NoPen);
    p.setBrush(t.sunken);
    p.drawRoundedRect(track, 4, 4);
    if (session_.muted()) {
        p.setFont(ui::font(14, true));
        p.setPen(t.ember);
        p.drawText(QRectF(18, 104, width() - 36, 18), Qt::AlignCenter, tr("Muted: nothing goes out"));
        return;
    }
    if (bar_ > kQuietest) {
        p.setBrush(t.straw);
        p.drawRoundedRect(QRectF(track.left(), track.top(), x_of(bar_) - track.left(), track.height()), 4, 4);
    }
    p.setPen(QPen(t.text, 1.6));
    p.drawLine(QPointF(x_of(kTarget), track.top() - 4), QPointF(x_of(kTarget), track.bottom() + 4));
    p.setFont(ui::font(12));
    p.setPen(t.muted);
    p.drawText(QRectF(x_of(kTarget) - 60, 105, 120, 16), Qt::AlignCenter, tr("%1 LUFS").arg(kTarget));
    p.drawText(QRectF(18, 105, 100, 16), Qt::AlignLeft | Qt::AlignVCenter, QString::number(kQuietest));
}

}  // namespace reed::ui
