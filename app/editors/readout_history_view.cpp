#include "editors/readout_history_view.h"

#include <QKeyEvent>
#include <QPainterPath>
#include <cmath>

#include "model/strips/strip_model.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {
constexpr double kMost = 18.0;  // dB, where nothing is held against it
}

ReadoutHistoryView::ReadoutHistoryView(StripModel& strip, const StageRef& stage, QWidget* parent)
    : QWidget(parent), trail_(strip.readoutHistory()), stage_(stage) {
    setObjectName("trail_view");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    const StageKind& kind = stage.spec()->stage_kind();
    const Readout& shown = kind.readouts[static_cast<size_t>(ReadoutHistory::shown(kind))];
    if (!shown.beside.empty()) row_ = kind.find(shown.beside);
    axis_ = {-kMost, kMost};
    if (row_ >= 0) {
        const Parameter& held = kind.parameters[static_cast<size_t>(row_)];
        axis_ = {held.minimum, held.maximum};
    }
    QString title = text(shown.title);
    title[0] = title[0].toLower();
    legend_ = tr("60 s: %1, dB").arg(title);
    setAccessibleName(legend_);
    if (row_ >= 0) {
        setFocusPolicy(Qt::StrongFocus);
        setCursor(Qt::SizeVerCursor);
        setHint(this, tr("Drag the threshold among what was measured"));
    }
    stage_.onChange(this, [this] { update(); });
    connect(&strip, &StripModel::readingsChanged, this, [this] {
        if (!isVisible() || trail_.now() == drawn_) return;
        update();
    });
}

QRectF ReadoutHistoryView::plot() const {
    return QRectF(rect()).adjusted(34, 8, -8, -20);
}

double ReadoutHistoryView::rowOf(double db) const {
    return axis_.y(plot(), db);
}

void ReadoutHistoryView::pull(double row) {
    stage_.drag(static_cast<size_t>(row_), axis_.atY(plot(), row));
}

void ReadoutHistoryView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || row_ < 0) return;
    setFocus(Qt::MouseFocusReason);
    held_ = true;
    pull(event->position().y());
}

void ReadoutHistoryView::mouseMoveEvent(QMouseEvent* event) {
    if (held_) pull(event->position().y());
}

void ReadoutHistoryView::mouseReleaseEvent(QMouseEvent*) {
    if (held_) stage_.done();
    held_ = false;
}

void ReadoutHistoryView::wheelEvent(QWheelEvent* event) {
    if (row_ < 0) return QWidget::wheelEvent(event);
    event->accept();
    stage_.turn(static_cast<size_t>(row_), wheelNotches(*event), event->modifiers() & Qt::ShiftModifier);
}

void ReadoutHistoryView::keyPressEvent(QKeyEvent* event) {
    const bool up = event->key() == Qt::Key_Up;
    if (row_ < 0 || (!up && event->key() != Qt::Key_Down)) return QWidget::keyPressEvent(event);
    stage_.turn(static_cast<size_t>(row_), up ? 1.0 : -1.0, event->modifiers() & Qt::ShiftModifier);
}

void ReadoutHistoryView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    const QRectF r = plot();
    still_.paint(p, *this, legend_, [&](QPainter& layer) {
        paintPlotGround(layer, *this);
        const int step = axis_.highest - axis_.lowest > 45.0 ? 20 : 10;
        axis_.paint(layer, r, static_cast<int>(std::floor(axis_.highest / step)) * step, step, 29);
        layer.drawText(QRectF(r.left(), r.bottom() + 2, r.width(), 16), Qt::AlignLeft | Qt::AlignVCenter,
                       layer.fontMetrics().elidedText(legend_, Qt::ElideRight, static_cast<int>(r.width())));
    });
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    drawn_ = trail_.now();
    const auto& moments = trail_.of(s->id);
    const double zero = row_ >= 0 ? rowOf(s->values[static_cast<size_t>(row_)]) : rowOf(0.0);
    QPainterPath line;
    double last = r.left();
    for (const auto& m : moments) {
        last = r.right() - (drawn_ - m.time) / ReadoutHistory::kSeconds * r.width();
        const QPointF at(last, rowOf(static_cast<double>(m.value)));
        line.elementCount() == 0 ? line.moveTo(at) : line.lineTo(at);
    }
    if (line.elementCount() > 1) {
        QPainterPath over = line;
        const double first = line.elementAt(0).x;
        over.lineTo(last, zero);
        over.lineTo(first, zero);
        QColor fill = t.marsh;
        fill.setAlpha(120);
        p.save();
        // For readouts with a threshold, only the part above it.
        p.setClipRect(row_ >= 0 ? QRectF(r.left(), r.top(), r.width(), zero - r.top()) : r);
        p.fillPath(over, fill);
        p.restore();
        p.setClipRect(r.adjusted(0, -1, 0, 1));
        p.strokePath(line, QPen(t.now, 1.0));
        p.setClipping(false);
    }
    if (row_ < 0) return;
    p.setPen(QPen(t.marsh, 1.3, Qt::DashLine));
    p.drawLine(QPointF(r.left(), zero), QPointF(r.right(), zero));
    p.setPen(Qt::NoPen);
    p.setBrush(t.marsh);
    p.drawPolygon(QPolygonF{{r.left(), zero - 5}, {r.left() + 8, zero}, {r.left(), zero + 5}});
}

}  // namespace reed::ui
