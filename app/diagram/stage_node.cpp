#include "diagram/stage_node.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <QPainterPath>

#include "theme/theme.h"
#include "widgets/icon.h"
#include "widgets/plain_text.h"

namespace reed::ui {

StageNode::StageNode(QString stage_id, QWidget* parent) : QAbstractButton(parent), id_(std::move(stage_id)) {
    setObjectName("node_" + id_);
    setFocusPolicy(Qt::StrongFocus);
    setAttribute(Qt::WA_Hover);
    setCursor(Qt::PointingHandCursor);
}

void StageNode::describe() {
    setAccessibleName(tr("Stage %1").arg(title_));
    setAccessibleDescription((bypassed_ ? tr("bypassed") : tr("on")) +
                             (heard_ ? tr(", playing in the headphones") : QString()) +
                             (warning_.isEmpty() ? QString() : ". " + warning_));
    QString tip = title_ + (bypassed_ ? tr(" (bypassed)") : QString());
    if (!warning_.isEmpty()) tip += "\n" + warning_;
    setHint(this, tip + tr("\nB: bypass. Ctrl+Left/Right: move. Delete: remove."));
}

void StageNode::setState(const QString& title, bool bypassed, bool focused) {
    title_ = title;
    bypassed_ = bypassed;
    focused_ = focused;
    describe();
    update();
}

void StageNode::setWarning(const QString& text) {
    if (text == warning_) return;
    warning_ = text;
    describe();
    update();
}

void StageNode::setHeard(bool heard) {
    if (heard == heard_) return;
    heard_ = heard;
    describe();
    update();
}

QRectF StageNode::dot() const {
    return {5.0, height() / 2.0 - 9, 18, 18};
}

void StageNode::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF box = QRectF(rect()).adjusted(1.5, 1.5, -1.5, -1.5);
    // A tab with one slanted end: the signal runs from left to right.
    QPainterPath shape;
    const double cut = std::min(9.0, box.height() / 3);
    shape.moveTo(box.left() + 6, box.top());
    shape.lineTo(box.right() - cut, box.top());
    shape.lineTo(box.right(), box.center().y());
    shape.lineTo(box.right() - cut, box.bottom());
    shape.lineTo(box.left() + 6, box.bottom());
    shape.quadTo(box.left(), box.bottom(), box.left(), box.bottom() - 6);
    shape.lineTo(box.left(), box.top() + 6);
    shape.quadTo(box.left(), box.top(), box.left() + 6, box.top());
    p.setBrush(focused_ ? t.chosen : (underMouse() ? t.chosen.darker(104) : t.raised));
    QPen edge(hasFocus() ? t.marsh : (focused_ ? t.straw : t.line), hasFocus() ? 2.0 : 1.2);
    if (bypassed_) edge.setStyle(Qt::DashLine);
    p.setPen(edge);
    p.drawPath(shape);

    const QPointF c = dot().center();
    if (bypassed_) {
        p.setPen(QPen(t.muted, 1.4));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(c, 4.2, 4.2);
    } else {
        p.setPen(Qt::NoPen);
        p.setBrush(t.marsh);
        p.drawEllipse(c, 4.6, 4.6);
    }
    double right = box.right() - cut + 2;
    if (!warning_.isEmpty()) {
        const QPointF w(right - 7, box.center().y());
        QPolygonF triangle({w + QPointF(0, -7), w + QPointF(7.5, 6), w + QPointF(-7.5, 6)});
        p.setPen(Qt::NoPen);
        p.setBrush(t.ember);
        p.drawPolygon(triangle);
        p.setPen(QPen(t.window, 1.8));
        p.drawLine(w + QPointF(0, -2.5), w + QPointF(0, 1.5));
        p.drawPoint(w + QPointF(0, 4));
        right -= 18;
    }
    if (heard_) {
        drawIcon(p, "ear", QRectF(right - 15, box.center().y() - 8, 16, 16), t.now);
        right -= 18;
    }
    // A smaller font before a shortened word.
    const QRectF where(24, 0, right - 25, height());
    for (int pixels = width() < 90 ? 12 : 14; pixels >= 11; --pixels) {
        p.setFont(ui::font(pixels, focused_));
        if (p.fontMetrics().horizontalAdvance(title_) <= where.width() + 1) break;
    }
    p.setPen(bypassed_ ? t.muted : t.text);
    p.drawText(where, Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(title_, Qt::ElideRight, static_cast<int>(where.width()) + 1));
}

void StageNode::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    press_ = event->pos();
    if (dot().contains(event->position())) {
        emit bypassWanted(!bypassed_);
        return;
    }
    pressed_ = true;
    setFocus(Qt::MouseFocusReason);
    emit focusWanted();
}

void StageNode::mouseMoveEvent(QMouseEvent* event) {
    if (!pressed_) return;
    if (!dragging_ && (event->pos() - press_).manhattanLength() > 6) {
        dragging_ = true;
        raise();
    }
    if (!dragging_) return;
    const QPoint at = mapToParent(event->pos()) - press_;
    move(at.x(), y());
    emit dragged(x() + width() / 2);
}

void StageNode::mouseReleaseEvent(QMouseEvent*) {
    const bool was = dragging_;
    pressed_ = dragging_ = false;
    if (was) emit dropped(x() + width() / 2);
}

void StageNode::mouseDoubleClickEvent(QMouseEvent* event) {
    if (!dot().contains(event->position())) beginRename();
}

void StageNode::beginRename() {
    auto* edit = new QLineEdit(title_, parentWidget());
    edit->setObjectName("rename_editor");
    edit->setAccessibleName(tr("Name of this stage"));
    edit->setFont(ui::font(14));
    edit->setMaxLength(60);
    edit->setGeometry(geometry().adjusted(-10, 3, 10, -3));
    edit->selectAll();
    edit->show();
    edit->setFocus();
    connect(edit, &QLineEdit::editingFinished, this, [this, edit] {
        edit->disconnect(this);
        edit->deleteLater();
        emit renameWanted(edit->text());
    });
}

void StageNode::contextMenuEvent(QContextMenuEvent* event) {
    emit focusWanted();
    auto* menu = new QMenu(this);
    menu->setObjectName("node_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(bypassed_ ? tr("Enable\tB") : tr("Bypass\tB"), this,
                    [this] { emit bypassWanted(!bypassed_); });
    menu->addAction(tr("Move left\tCtrl+Left"), this, [this] { emit moveWanted(-1); });
    menu->addAction(tr("Move right\tCtrl+Right"), this, [this] { emit moveWanted(1); });
    menu->addSeparator();
    menu->addAction(heard_ ? tr("Stop listening here\tH") : tr("Listen after this stage\tH"), this,
                    [this] { emit monitorRequested(); });
    menu->addAction(tr("Show input levels\tL"), this, [this] { emit levelsWanted(); });
    menu->addAction(tr("Switch A/B\tM"), this, [this] { emit toggleAbRequested(); });
    menu->addAction(tr("Reset to defaults"), this, [this] { emit resetWanted(); });
    menu->addSeparator();
    menu->addAction(tr("Copy\tCtrl+C"), this, [this] { emit copyWanted(); });
    menu->addAction(tr("Paste after\tCtrl+V"), this, [this] { emit pasteWanted(); });
    menu->addAction(tr("Duplicate\tCtrl+D"), this, [this] { emit duplicateWanted(); });
    menu->addAction(tr("Rename\tF2"), this, [this] { beginRename(); });
    menu->addAction(tr("Remove\tDel"), this, [this] { emit removeWanted(); });
    menu->popup(event->globalPos());
}

void StageNode::keyPressEvent(QKeyEvent* event) {
    const bool ctrl = event->modifiers() & Qt::ControlModifier;
    switch (event->key()) {
        case Qt::Key_Left:
            ctrl ? emit moveWanted(-1) : emit neighbourWanted(-1);
            return;
        case Qt::Key_Right:
            ctrl ? emit moveWanted(1) : emit neighbourWanted(1);
            return;
        case Qt::Key_B:
            emit bypassWanted(!bypassed_);
            return;
        case Qt::Key_Delete:
            emit removeWanted();
            return;
        case Qt::Key_F2:
            beginRename();
            return;
        case Qt::Key_D:
            if (ctrl) emit duplicateWanted();
            return;
        case Qt::Key_C:
            if (ctrl) emit copyWanted();
            return;
        case Qt::Key_V:
            if (ctrl) emit pasteWanted();
            return;
        case Qt::Key_H:
            emit monitorRequested();
            return;
        case Qt::Key_L:
            emit levelsWanted();
            return;
        case Qt::Key_M:
            if (ctrl) break;  // mute
            emit toggleAbRequested();
            return;
        case Qt::Key_Space:
        case Qt::Key_Return:
        case Qt::Key_Enter:
            emit focusWanted();
            return;
        default:
            break;
    }
    QAbstractButton::keyPressEvent(event);
}

}  // namespace reed::ui
