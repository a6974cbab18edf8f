#include "editors/transfer_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "base/decibel.h"
#include "model/strips/strip_model.h"
#include "widgets/input.h"
#include "widgets/level_axis.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {
constexpr LevelAxis kAxis;
constexpr double kLow = kAxis.lowest, kHigh = kAxis.highest;
}  // namespace

TransferView::TransferView(StripModel& strip, const StageRef& stage, QWidget* parent)
    : QWidget(parent), strip_(strip), stage_(stage) {
    setObjectName("transfer_view");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Output level against input level"));
    setHint(this,
            tr("Output against input level. Drag sideways to move the threshold, scroll for small steps. The "
               "humps show how often each level occurs at the input (bottom) and output (right)."));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setCursor(Qt::SizeHorCursor);
    connect(&strip_, &StripModel::readingsChanged, this, &TransferView::follow);
    stage_.onChange(this, [this] { update(); });
}

QRectF TransferView::plot() const {
    return QRectF(rect()).adjusted(34, 8, -10, -22);
}

double TransferView::xOf(double db) const {
    return kAxis.x(plot(), db);
}

double TransferView::yOf(double db) const {
    return kAxis.y(plot(), db);
}

void TransferView::follow() {
    if (!isVisible()) return;
    const int index = stage_.index();
    const LevelStatistics& statistics = strip_.readings().statistics();
    const auto tap = static_cast<size_t>(std::max(0, index));
    if (index < 0 || tap + 1 >= statistics.taps()) return;
    bool changed = false;
    if (++ticks_ % 10 == 1) {
        in_ = statistics.distribution(tap);
        out_ = statistics.distribution(tap + 1);
        changed = true;
    }
    if (strip_.levelsFit()) {
        // Gently, so that it can be followed by the eye.
        const auto approach = [&](double& shown, double goal) {
            const double step = 0.4 * (std::max(goal, kLow - 5.0) - std::max(shown, kLow - 5.0));
            shown = std::max(shown, kLow - 5.0) + step;
            changed = changed || std::abs(step) > 0.1;
        };
        approach(now_in_, strip_.levels().taps[tap].now);
        approach(now_out_, strip_.levels().taps[tap + 1].now);
    }
    if (changed) update();
}

int TransferView::thresholdAt(double x) const {
    const StageSpec* s = stage_.spec();
    int best = -1;
    double nearest = 1e9;
    for (size_t i = 0; s != nullptr && i < s->values.size(); ++i) {
        if (s->stage_kind().parameters[i].mark == DiagramMark::none) continue;
        const double distance = std::abs(xOf(s->values[i]) - x);
        if (distance >= nearest) continue;
        nearest = distance;
        best = static_cast<int>(i);
    }
    return best;
}

void TransferView::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) held_ = thresholdAt(event->position().x());
}

void TransferView::mouseMoveEvent(QMouseEvent* event) {
    if (held_ >= 0) stage_.drag(static_cast<size_t>(held_), kAxis.atX(plot(), event->position().x()));
}

void TransferView::mouseReleaseEvent(QMouseEvent*) {
    held_ = -1;
    stage_.done();
}

void TransferView::wheelEvent(QWheelEvent* event) {
    const int row = thresholdAt(event->position().x());
    if (row < 0) return;
    stage_.turn(static_cast<size_t>(row), wheelNotches(*event), event->modifiers() & Qt::ShiftModifier);
    event->accept();
}

void TransferView::paintDistributions(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    if (in_.room.empty() || out_.room.empty()) return;
    float most = 0.01f;
    for (const auto* d : {&in_, &out_}) {
        for (const float x : d->room) most = std::max(most, x);
        for (const float x : d->voice) most = std::max(most, x);
    }
    const double reach = 0.30 * std::min(r.width(), r.height());
    const auto hump = [&](const std::vector<float>& shares, bool below, const QColor& color) {
        QPainterPath path;
        const auto at = [&](size_t bin, double share) {
            const double db = LevelDistribution::level_of(bin);
            return below ? QPointF(xOf(db), r.bottom() - share / most * reach)
                         : QPointF(r.right() - share / most * reach, yOf(db));
        };
        path.moveTo(at(0, 0.0));
        for (size_t b = 0; b < shares.size(); ++b) path.lineTo(at(b, LevelDistribution::smoothed(shares, b)));
        path.lineTo(at(shares.size() - 1, 0.0));
        p.fillPath(path, color);
    };
    hump(in_.room, true, t.roomFill);
    hump(in_.voice, true, t.strawFill);
    hump(out_.room, false, t.roomFill);
    hump(out_.voice, false, t.strawFill);
}

void TransferView::paintCurve(QPainter& p) const {
    const Theme& t = theme();
    const StageSpec* s = stage_.spec();
    if (s == nullptr || s->stage_kind().transfer == nullptr) return;
    p.setPen(QPen(t.muted, 0.9, Qt::DotLine));
    p.drawLine(QPointF(xOf(kLow), yOf(kLow)), QPointF(xOf(kHigh), yOf(kHigh)));
    for (const bool rising : {true, false}) {
        QPainterPath path;
        for (double db = kLow; db <= kHigh; db += 0.5) {
            const QPointF at(xOf(db), yOf(s->stage_kind().transfer(s->values, db, rising)));
            path.elementCount() == 0 ? path.moveTo(at) : path.lineTo(at);
        }
        QPen pen(s->bypass ? t.muted : t.marsh, rising ? 2.0 : 1.2);
        if (!rising) pen.setStyle(Qt::DashLine);
        p.strokePath(path, pen);
    }
    // Thresholds, so that the hand finds them.
    for (size_t i = 0; i < s->values.size(); ++i) {
        if (s->stage_kind().parameters[i].mark == DiagramMark::none) continue;
        const double x = xOf(s->values[i]);
        p.setPen(QPen(t.marsh, static_cast<int>(i) == held_ ? 1.6 : 0.8, Qt::DashLine));
        p.drawLine(QPointF(x, plot().top()), QPointF(x, plot().bottom()));
    }
}

void TransferView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    paintPlotGround(p, *this);
    const QRectF r = plot();
    p.setFont(ui::font(12));
    for (int db = -80; db <= 0; db += 20) {
        p.setPen(QPen(t.line, 0.7));
        p.drawLine(QPointF(xOf(db), r.top()), QPointF(xOf(db), r.bottom()));
        p.drawLine(QPointF(r.left(), yOf(db)), QPointF(r.right(), yOf(db)));
        p.setPen(t.muted);
        if (db > -80)
            p.drawText(QRectF(0, yOf(db) - 8, 29, 16), Qt::AlignRight | Qt::AlignVCenter,
                       QString::number(db));
        if (db > -80 && db < -20)
            p.drawText(QRectF(xOf(db) - 20, r.bottom() + 3, 40, 16), Qt::AlignCenter, QString::number(db));
    }
    p.drawText(QRectF(r.right() - 50, r.bottom() + 3, 54, 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("in, dBFS"));
    p.save();
    p.setClipRect(r.adjusted(-1, -1, 1, 1));
    paintDistributions(p);
    paintCurve(p);
    if (now_in_ > kLow) {
        p.setPen(QPen(t.now, 1.8));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(QPointF(xOf(now_in_), yOf(now_out_)), 4.5, 4.5);
    }
    p.restore();
    p.setPen(t.muted);
    p.setFont(ui::font(12));
    p.drawText(QRectF(r.left() + 4, r.top(), 60, 16), Qt::AlignLeft | Qt::AlignVCenter, tr("out"));
}

}  // namespace reed::ui
