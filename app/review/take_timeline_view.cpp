#include "review/take_timeline_view.h"

#include <QKeyEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "model/app_model.h"
#include "model/takes/takes_model.h"
#include "theme/theme.h"
#include "widgets/input.h"
#include "widgets/level_axis.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {
constexpr LevelAxis kAxis;
constexpr double kClosest = 0.5;  // seconds in view
constexpr double kDragged = 4.0;  // pixels; less is a click
}  // namespace

TakeTimelineView::TakeTimelineView(StripModel& main, TakesModel& takes, QWidget* parent)
    : QWidget(parent), takes_(takes) {
    setObjectName("take_wave");
    setAccessibleName(tr("Level of the take over time"));
    setHint(this, tr("Click: seek. Drag: select loop. Scroll: zoom (Shift: pan). C: next cut-off word."));
    setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(120);
    connect(&takes_, &TakesModel::chosenChanged, this, &TakeTimelineView::showAll);
    connect(&takes_, &TakesModel::reportChanged, this, [this] { update(); });
    connect(&takes_, &TakesModel::loopChanged, this, [this] { update(); });
    connect(&main, &StripModel::readingsChanged, this, [this] {
        const double at = takes_.position();
        if (!isVisible() || at == drawn_at_) return;
        drawn_at_ = at;
        update();
    });
    showAll();
}

void TakeTimelineView::showAll() {
    shown_from_ = 0.0;
    shown_to_ = takes_.chosen().path.empty() ? 0.0 : takes_.chosen().seconds();
    update();
}

QRectF TakeTimelineView::plot() const {
    return QRectF(rect()).adjusted(38, 8, -10, -22);
}

double TakeTimelineView::secondsAt(double x) const {
    const QRectF r = plot();
    return shown_from_ + std::clamp((x - r.left()) / r.width(), 0.0, 1.0) * (shown_to_ - shown_from_);
}

double TakeTimelineView::xOf(double seconds) const {
    const QRectF r = plot();
    return r.left() + (seconds - shown_from_) / std::max(1e-6, shown_to_ - shown_from_) * r.width();
}

void TakeTimelineView::zoom(double factor, double around) {
    const double all = takes_.chosen().path.empty() ? 0.0 : takes_.chosen().seconds();
    const double span = std::clamp((shown_to_ - shown_from_) * factor, std::min(kClosest, all), all);
    const double share = (around - shown_from_) / std::max(1e-6, shown_to_ - shown_from_);
    shown_from_ = std::clamp(around - share * span, 0.0, all - span);
    shown_to_ = shown_from_ + span;
    update();
}

void TakeTimelineView::shift(double seconds) {
    const double all = takes_.chosen().path.empty() ? 0.0 : takes_.chosen().seconds();
    const double span = shown_to_ - shown_from_;
    shown_from_ = std::clamp(shown_from_ + seconds, 0.0, std::max(0.0, all - span));
    shown_to_ = shown_from_ + span;
    update();
}

void TakeTimelineView::paintCourse(QPainter& p, const QRectF& r, const std::vector<float>& values, double top,
                                   bool filled, const QColor& colour) const {
    if (values.empty() || shown_to_ <= shown_from_) return;
    QPainterPath path;
    const int width = static_cast<int>(r.width());
    for (int px = 0; px <= width; ++px) {
        // The highest of all that falls on the column.
        const auto at = [&](double x) {
            const double s = shown_from_ + x / r.width() * (shown_to_ - shown_from_);
            return static_cast<std::int64_t>(s / TakeTimeline::kStep);
        };
        const auto last = static_cast<std::int64_t>(values.size()) - 1;
        if (at(px) > last) break;  // of a long one only the beginning is known
        const std::int64_t from = std::clamp<std::int64_t>(at(px), 0, last);
        const std::int64_t end = std::clamp<std::int64_t>(at(px + 1), from, last);
        const double v =
            static_cast<double>(*std::max_element(values.begin() + from, values.begin() + end + 1));
        const QPointF point(r.left() + px, kAxis.y(r, top - (filled ? -v : v)));
        if (px == 0) path.moveTo(filled ? QPointF(r.left(), r.bottom()) : point);
        path.lineTo(point);
    }
    if (path.isEmpty()) return;
    if (filled) {
        path.lineTo(path.currentPosition().x(), r.bottom());
        p.fillPath(path, colour);
    } else {
        p.strokePath(path, QPen(colour, 1.3));
    }
}

void TakeTimelineView::paintLevels(QPainter& p, const QRectF& r) const {
    const Theme& t = theme();
    const TakeReport* report = takes_.report();
    if (report == nullptr) {
        p.setPen(t.muted);
        p.setFont(ui::font(13));
        p.drawText(r, Qt::AlignCenter, tr("Rendering…"));
        return;
    }
    if (const double end = TakesModel::mostReported(takes_.chosen()); xOf(end) < r.right()) {
        p.setPen(t.muted);
        p.setFont(ui::font(13));
        p.drawText(QRectF(QPointF(xOf(end) + 8, r.top()), r.bottomRight()), Qt::AlignLeft | Qt::AlignVCenter,
                   tr("only the first %1 s are shown").arg(end, 0, 'f', 0));
    }
    QColor before = t.room;
    before.setAlpha(130);
    paintCourse(p, r, report->course.plain, 0.0, true, before);
    paintCourse(p, r, report->course.made, 0.0, true, t.strawFill);
    for (const auto& reduction : report->course.reductions) paintCourse(p, r, reduction, 0.0, false, t.marsh);
    p.setPen(QPen(t.ember, 2.0));
    for (const auto& cut : report->course.cuts) {
        const double x = xOf(cut.at);
        if (x < r.left() || x > r.right()) continue;
        const double side = cut.beginning ? 6.0 : -6.0;
        p.drawLine(QPointF(x, r.bottom() - 22), QPointF(x, r.bottom() - 2));
        p.drawLine(QPointF(x, r.bottom() - 2), QPointF(x + side, r.bottom() - 2));
        p.drawLine(QPointF(x, r.bottom() - 22), QPointF(x + side, r.bottom() - 22));
    }
}

void TakeTimelineView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    paintPlotGround(p, *this);
    const QRectF r = plot();
    kAxis.paint(p, r, 0, 20, 32);
    if (takes_.chosen().path.empty()) {
        p.setFont(ui::font(14));
        p.drawText(r, Qt::AlignCenter | Qt::TextWordWrap,
                   tr("No take selected. Speak and save the last 20 s, or import an audio file."));
        return;
    }
    p.setClipRect(r);
    p.setRenderHint(QPainter::Antialiasing);
    paintLevels(p, r);
    // What is not in the loop stands back.
    double from = takes_.from(), to = takes_.to();
    if (pressed_at_ >= 0.0 && std::abs(xOf(dragged_to_) - xOf(pressed_at_)) > kDragged) {
        from = std::min(pressed_at_, dragged_to_);
        to = std::max(pressed_at_, dragged_to_);
    }
    QColor shade = t.sunken;
    shade.setAlpha(190);
    p.fillRect(QRectF(r.topLeft(), QPointF(xOf(from), r.bottom())), shade);
    p.fillRect(QRectF(QPointF(xOf(to), r.top()), r.bottomRight()), shade);
    if (const double at = takes_.position(); at >= 0.0) {
        p.setPen(QPen(t.now, 1.6));
        p.drawLine(QPointF(xOf(at), r.top()), QPointF(xOf(at), r.bottom()));
    }
    p.setClipping(false);
    p.setPen(t.muted);
    p.setFont(ui::font(12));
    const auto time = [&](double s, Qt::AlignmentFlag where) {
        p.drawText(QRectF(r.left(), r.bottom() + 3, r.width(), 16), where | Qt::AlignVCenter,
                   tr("%1 s").arg(s, 0, 'f', 1));
    };
    time(shown_from_, Qt::AlignLeft);
    time(shown_to_, Qt::AlignRight);
    p.drawText(QRectF(r.left(), r.bottom() + 3, r.width(), 16), Qt::AlignHCenter | Qt::AlignVCenter,
               tr("blue: input, yellow: output, green: reduction"));
}

void TakeTimelineView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    pressed_at_ = dragged_to_ = secondsAt(event->position().x());
}

void TakeTimelineView::mouseMoveEvent(QMouseEvent* event) {
    if (pressed_at_ < 0.0) return;
    dragged_to_ = secondsAt(event->position().x());
    update();
}

void TakeTimelineView::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || pressed_at_ < 0.0) return;
    const double from = std::exchange(pressed_at_, -1.0), to = secondsAt(event->position().x());
    if (std::abs(xOf(to) - xOf(from)) > kDragged)
        takes_.setPart(from, to);
    else
        takes_.seek(to);
    update();
}

void TakeTimelineView::wheelEvent(QWheelEvent* event) {
    const double notches = wheelNotches(*event);
    if (event->modifiers().testFlag(Qt::ShiftModifier))
        shift(-0.1 * notches * (shown_to_ - shown_from_));
    else
        zoom(std::pow(0.8, notches), secondsAt(event->position().x()));
    event->accept();
}

void TakeTimelineView::keyPressEvent(QKeyEvent* event) {
    const double now = std::max(takes_.from(), takes_.position());
    switch (event->key()) {
        case Qt::Key_Left:
            return takes_.seek(now - 1.0);
        case Qt::Key_Right:
            return takes_.seek(now + 1.0);
        case Qt::Key_Home:
            return takes_.seek(takes_.from());
        case Qt::Key_Plus:
        case Qt::Key_Equal:
            return zoom(0.8, now);
        case Qt::Key_Minus:
            return zoom(1.25, now);
        case Qt::Key_C:
            return takes_.toNextCut();
        case Qt::Key_BracketLeft:
            return takes_.setPart(now, takes_.to());
        case Qt::Key_BracketRight:
            return takes_.setPart(takes_.from(), now);
        default:
            QWidget::keyPressEvent(event);
    }
}

}  // namespace reed::ui
