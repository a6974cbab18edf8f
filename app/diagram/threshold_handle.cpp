#include "diagram/threshold_handle.h"

#include <QKeyEvent>
#include <QPainter>
#include <QWheelEvent>
#include <cmath>

#include "theme/theme.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {
/// Length of the mark; shorter where columns are narrow.
int markLength(int width) {
    return width < 100 ? 14 : 30;
}
}  // namespace

ThresholdHandle::ThresholdHandle(QString stage_id, int parameter, QWidget* parent)
    : QWidget(parent), id_(std::move(stage_id)), parameter_(parameter) {
    setObjectName(QString("threshold_%1_%2").arg(id_).arg(parameter));
    setFocusPolicy(Qt::StrongFocus);
    setCursor(Qt::SizeVerCursor);
    setAttribute(Qt::WA_Hover);
}

void ThresholdHandle::setMark(const QString& title, const QString& accessible, double level, bool dimmed) {
    if (title == title_ && accessible == accessibleName() && level == level_ && dimmed == dimmed_) return;
    title_ = title;
    level_ = level;
    dimmed_ = dimmed;
    setAccessibleName(accessible);
    setAccessibleDescription(tr("%1 dBFS").arg(level, 0, 'f', 1));
    setHint(this, tr("%1: %2 dBFS. Drag to change; hold Shift for fine control.")
                      .arg(accessible)
                      .arg(level, 0, 'f', 1));
    reshape();
    update();
}

void ThresholdHandle::setLabelShift(int pixels) {
    if (pixels == shift_) return;
    shift_ = pixels;
    reshape();
    update();
}

QRect ThresholdHandle::labelRect() const {
    const int left = markLength(width()) + 3;
    return {left, kHeight / 2 - 8 + shift_, std::min(width() - left, label_width_ + 8), 16};
}

void ThresholdHandle::reshape() {
    label_ = QString("%1 %2").arg(title_).arg(level_, 0, 'f', 0);
    label_width_ = QFontMetrics(ui::font(12)).horizontalAdvance(label_);
    // Only the mark and the label take the mouse; what lies beside them belongs to others.
    setMask(QRegion(QRect(0, kHeight / 2 - 7, markLength(width()) + 4, 14)).united(QRegion(labelRect())));
}

void ThresholdHandle::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QColor ink = dimmed_ ? t.muted : t.marsh;
    const double y = kHeight / 2.0;
    const bool strong = hasFocus() || underMouse() || held_;
    p.setPen(Qt::NoPen);
    QColor plate = t.panel;
    plate.setAlpha(strong ? 255 : 205);
    p.setBrush(plate);
    p.drawRoundedRect(labelRect(), 4, 4);
    p.setBrush(ink);
    p.drawPolygon(QPolygonF({QPointF(0, y - 6), QPointF(9, y), QPointF(0, y + 6)}));
    QPen line(ink, strong ? 2.6 : 1.8);
    if (dimmed_) line.setStyle(Qt::DashLine);
    p.setPen(line);
    p.drawLine(QPointF(9, y), QPointF(markLength(width()), y));
    if (hasFocus()) {
        p.setPen(QPen(t.marsh, 1.2));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(QRectF(labelRect()).adjusted(.5, .5, -.5, -.5), 4, 4);
    }
    p.setFont(ui::font(12));
    p.setPen(ink);
    p.drawText(labelRect(), Qt::AlignCenter, label_);
}

void ThresholdHandle::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    held_ = true;
    setFocus(Qt::MouseFocusReason);
    const double y = mapToParent(event->position()).y();
    grab_offset_ = y - (geometry().top() + kHeight / 2.0);
    last_y_ = y;
    emit grabbed();
}

void ThresholdHandle::mouseMoveEvent(QMouseEvent* event) {
    if (!held_) return;
    const double y = mapToParent(event->position()).y();
    const bool fine = event->modifiers() & Qt::ShiftModifier;
    if (fine) {
        const double middle = geometry().top() + kHeight / 2.0;
        emit draggedTo(middle + 0.2 * (y - last_y_), true);
    } else {
        emit draggedTo(y - grab_offset_, false);
    }
    last_y_ = y;
}

void ThresholdHandle::mouseReleaseEvent(QMouseEvent*) {
    if (!held_) return;
    held_ = false;
    update();
    emit finished();
}

void ThresholdHandle::wheelEvent(QWheelEvent* event) {
    emit stepWanted(wheelNotches(*event), event->modifiers() & Qt::ShiftModifier);
    event->accept();
}

void ThresholdHandle::keyPressEvent(QKeyEvent* event) {
    const bool fine = event->modifiers() & Qt::ShiftModifier;
    switch (event->key()) {
        case Qt::Key_Up:
            emit stepWanted(1.0, fine);
            return;
        case Qt::Key_Down:
            emit stepWanted(-1.0, fine);
            return;
        case Qt::Key_PageUp:
            emit stepWanted(6.0, false);
            return;
        case Qt::Key_PageDown:
            emit stepWanted(-6.0, false);
            return;
        default:
            QWidget::keyPressEvent(event);
    }
}

}  // namespace reed::ui
