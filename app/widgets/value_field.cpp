#include "widgets/value_field.h"

#include <QAccessible>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QWheelEvent>

#include "theme/theme.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {

QString shown(const Parameter& p, double v) {
    return QString::fromStdString(format_value(p, v));
}

}  // namespace

ValueField::ValueField(const Parameter& parameter, QWidget* parent)
    : QWidget(parent), parameter_(parameter), value_(parameter.default_value), title_(text(parameter.title)) {
    setObjectName(text(parameter.id));
    setFocusPolicy(Qt::StrongFocus);
    setAttribute(Qt::WA_Hover);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    if (parameter.kind == ValueKind::number) setCursor(Qt::SizeHorCursor);
    describe();
}

void ValueField::describe() {
    setAccessibleName(title_);
    setAccessibleDescription(shown(parameter_, value_) + ". " + text(parameter_.hint));
    const QString hint = text(parameter_.hint);
    setHint(this, midi_.isEmpty() ? hint : hint + '\n' + tr("MIDI: %1").arg(midi_));
}

void ValueField::setMeasured(std::optional<double> value) {
    if (value) value = std::clamp(*value, parameter_.minimum, parameter_.maximum);
    // Drawn again only where it has moved by a pixel or so.
    const double pixel = 1.0 / std::max(1, width());
    if (value && measured_ &&
        std::abs(value_to_position(parameter_, *value) - value_to_position(parameter_, *measured_)) < pixel)
        return;
    if (value == measured_) return;
    measured_ = value;
    update();
}

void ValueField::setNext(bool next) {
    if (next == next_) return;
    next_ = next;
    update();
}

void ValueField::setMidi(const QString& control) {
    if (control == midi_) return;
    midi_ = control;
    describe();
    update();
}

void ValueField::setTitle(const QString& title) {
    title_ = title;
    describe();
    update();
}

void ValueField::setValue(double value) {
    if (value == value_) return;
    value_ = value;
    describe();
    update();
}

void ValueField::want(double value) {
    complaint_.clear();
    if (value != value_) emit valueRequested(value);
}

void ValueField::step(double steps, bool fine) {
    want(step_value(parameter_, value_, steps, fine));
}

void ValueField::paintSwitch(QPainter& p) const {
    const Theme& t = theme();
    const bool on = value_ >= 0.5;
    const QRectF track(width() - 36, (height() - 18) / 2.0, 34, 18);
    p.setPen(QPen(on ? t.marsh : t.muted, 1.4));
    p.setBrush(on ? t.marsh : t.sunken);
    p.drawRoundedRect(track, 9, 9);
    p.setBrush(on ? t.panel : t.muted);
    p.setPen(Qt::NoPen);
    p.drawEllipse(QPointF(on ? track.right() - 9 : track.left() + 9, track.center().y()), 5.5, 5.5);
    // The word as well, so that colour and side are not all there is.
    p.setPen(t.muted);
    p.setFont(ui::font(13));
    p.drawText(QRectF(0, 0, width() - 44, height()), Qt::AlignRight | Qt::AlignVCenter,
               shown(parameter_, value_));
}

/// The word behind the name, where there is room; the tooltip says which control.
void ValueField::paintMidi(QPainter& p, const QRectF& line, int from, int room) const {
    if (midi_.isEmpty()) return;
    const QFont before = p.font();
    const QPen pen = p.pen();
    p.setFont(ui::font(11, true));
    const QString word = tr("MIDI");
    if (from + p.fontMetrics().horizontalAdvance(word) <= room) {
        p.setPen(theme().marsh);
        p.drawText(line.adjusted(from, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, word);
    }
    p.setFont(before);
    p.setPen(pen);
}

void ValueField::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    if (underMouse() || hasFocus()) {
        p.setPen(hasFocus() ? QPen(t.marsh, 1.4) : QPen(Qt::NoPen));
        p.setBrush(t.raised);
        p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 5, 5);
    }
    const QRectF inside = QRectF(rect()).adjusted(6, 3, -6, -3);
    if (next_) {
        p.setPen(Qt::NoPen);
        p.setBrush(t.marsh);
        p.drawEllipse(QPointF(2.5, inside.top() + (inside.height() - 6) / 2), 2, 2);
    }
    p.setFont(ui::font(14));
    p.setPen(isEnabled() ? t.muted : t.line);
    if (parameter_.kind == ValueKind::toggle) {
        p.translate(-6, 0);
        paintSwitch(p);
        p.translate(6, 0);
        p.setFont(ui::font(14));
        p.setPen(t.muted);
        const QRectF name(inside.left(), 0, inside.width() - 64, height());
        const int width = static_cast<int>(name.width());
        p.drawText(name, Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(title_, Qt::ElideRight, width));
        paintMidi(p, name, p.fontMetrics().horizontalAdvance(title_) + 8, width);
        return;
    }
    const QRectF line(inside.left(), inside.top(), inside.width(), inside.height() - 6);
    const QString value = shown(parameter_, value_);
    const int value_width = p.fontMetrics().horizontalAdvance(value);
    const int room = static_cast<int>(inside.width()) - value_width - 8;
    p.drawText(line, Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(title_, Qt::ElideRight, room));
    paintMidi(p, line, p.fontMetrics().horizontalAdvance(title_) + 8, room);
    if (editor_ == nullptr) {
        p.setPen(t.text);
        p.drawText(line, Qt::AlignRight | Qt::AlignVCenter, value);
    }
    // Track: how far along its range the value is; for a choice, which of them.
    const QRectF track(inside.left(), inside.bottom() - 2.5, inside.width(), 2.5);
    p.setPen(Qt::NoPen);
    p.setBrush(complaint_.isEmpty() ? t.sunken : t.ember);
    p.drawRoundedRect(track, 1.2, 1.2);
    const double origin =
        parameter_.minimum < 0.0 && parameter_.maximum > 0.0 ? value_to_position(parameter_, 0.0) : 0.0;
    const double at = value_to_position(parameter_, value_);
    const double x0 = track.left() + std::min(origin, at) * track.width();
    const double x1 = track.left() + std::max(origin, at) * track.width();
    p.setBrush(parameter_.kind == ValueKind::choice ? t.muted : t.marsh);
    p.drawRoundedRect(QRectF(x0, track.top(), std::max(2.0, x1 - x0), track.height()), 1.2, 1.2);
    if (!measured_) return;
    // What is measured stands on the track as a small wedge in the voice's colour.
    const double x = track.left() + value_to_position(parameter_, *measured_) * track.width();
    p.setBrush(t.straw);
    p.drawPolygon(QPolygonF({{x - 4, track.top() - 5.5}, {x + 4, track.top() - 5.5}, {x, track.top() + 1}}));
}

void ValueField::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    setFocus(Qt::MouseFocusReason);
    if (event->modifiers() & Qt::ControlModifier) {
        want(parameter_.default_value);
        emit finished();
        return;
    }
    if (parameter_.kind == ValueKind::toggle) {
        want(value_ >= 0.5 ? 0.0 : 1.0);
        emit finished();
        return;
    }
    if (parameter_.kind == ValueKind::choice) {
        chooseFromMenu();
        return;
    }
    dragging_ = true;
    drag_from_ = event->position();
    drag_position_ = value_to_position(parameter_, value_);
}

void ValueField::mouseMoveEvent(QMouseEvent* event) {
    if (!dragging_) return;
    const double dx = event->position().x() - drag_from_.x();
    if (std::abs(dx) < 1.0) return;
    drag_from_ = event->position();
    const double fine = event->modifiers() & Qt::ShiftModifier ? 0.1 : 1.0;
    drag_position_ = std::clamp(drag_position_ + fine * dx / std::max(80, width()), 0.0, 1.0);
    want(position_to_value(parameter_, drag_position_));
}

void ValueField::mouseReleaseEvent(QMouseEvent*) {
    if (!dragging_) return;
    dragging_ = false;
    emit finished();
}

void ValueField::mouseDoubleClickEvent(QMouseEvent*) {
    if (parameter_.kind == ValueKind::number) openEditor();
}

void ValueField::wheelEvent(QWheelEvent* event) {
    const double notches = wheelNotches(*event);
    if (notches == 0.0) return;
    const double sign = parameter_.kind == ValueKind::number ? 1.0 : -1.0;
    step(sign * notches, event->modifiers() & Qt::ShiftModifier);
    event->accept();
}

void ValueField::keyPressEvent(QKeyEvent* event) {
    const bool fine = event->modifiers() & Qt::ShiftModifier;
    switch (event->key()) {
        case Qt::Key_Up:
        case Qt::Key_Right:
            step(1.0, fine);
            return;
        case Qt::Key_Down:
        case Qt::Key_Left:
            step(-1.0, fine);
            return;
        case Qt::Key_PageUp:
            step(6.0, false);
            return;
        case Qt::Key_PageDown:
            step(-6.0, false);
            return;
        case Qt::Key_Home:
            want(parameter_.minimum);
            return;
        case Qt::Key_End:
            want(parameter_.maximum);
            return;
        case Qt::Key_Backspace:
            want(parameter_.default_value);
            return;
        case Qt::Key_Space:
            if (parameter_.kind == ValueKind::toggle) want(value_ >= 0.5 ? 0.0 : 1.0);
            if (parameter_.kind == ValueKind::choice) chooseFromMenu();
            return;
        case Qt::Key_Return:
        case Qt::Key_Enter:
        case Qt::Key_F2:
            if (parameter_.kind == ValueKind::number) openEditor();
            if (parameter_.kind == ValueKind::choice) chooseFromMenu();
            return;
        default:
            break;
    }
    const QString typed = event->text();
    const bool starts_number = !typed.isEmpty() && (typed[0].isDigit() || QString("-+.,").contains(typed[0]));
    if (parameter_.kind == ValueKind::number && starts_number &&
        !(event->modifiers() & Qt::ControlModifier)) {
        openEditor(typed);
        return;
    }
    QWidget::keyPressEvent(event);
}

void ValueField::contextMenuEvent(QContextMenuEvent* event) {
    auto* menu = new QMenu(this);
    menu->setObjectName("value_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Default value\tBackspace"), this, [this] {
        want(parameter_.default_value);
        emit finished();
    });
    if (offers_midi_) menu->addAction(tr("MIDI control…"), this, &ValueField::midiRequested);
    menu->popup(event->globalPos());
}

void ValueField::chooseFromMenu() {
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (size_t i = 0; i < parameter_.choices.size(); ++i) {
        QAction* action = menu->addAction(text(parameter_.choices[i].title));
        action->setCheckable(true);
        action->setChecked(static_cast<size_t>(value_) == i);
        connect(action, &QAction::triggered, this, [this, i] {
            want(static_cast<double>(i));
            emit finished();
        });
    }
    menu->popup(mapToGlobal(QPoint(0, height())));
}

void ValueField::openEditor(const QString& initial) {
    if (editor_ != nullptr) return;
    editor_ = new QLineEdit(this);
    editor_->setObjectName("value_editor");
    editor_->setFont(ui::font(14));
    editor_->setAlignment(Qt::AlignRight);
    editor_->setAccessibleName(title_);
    editor_->setText(initial.isEmpty() ? QString::fromStdString(format_value_bare(parameter_, value_))
                                       : initial);
    if (initial.isEmpty()) editor_->selectAll();
    editor_->installEventFilter(this);
    resizeEvent(nullptr);
    editor_->show();
    editor_->setFocus();
    update();
}

void ValueField::resizeEvent(QResizeEvent*) {
    if (editor_ != nullptr) editor_->setGeometry(width() / 2 - 4, 2, width() / 2 + 2, height() - 8);
}

bool ValueField::eventFilter(QObject* watched, QEvent* event) {
    if (watched != editor_) return QWidget::eventFilter(watched, event);
    if (event->type() == QEvent::KeyPress) {
        // Taken here: a line edit lets Enter go on to its parent, which would open the editor again.
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Return || key == Qt::Key_Enter) {
            commit();
            return true;
        }
        if (key == Qt::Key_Escape) {
            closeEditor();
            setFocus();
            return true;
        }
    }
    if (event->type() == QEvent::FocusOut) {
        const auto reason = static_cast<QFocusEvent*>(event)->reason();
        if (reason != Qt::PopupFocusReason && reason != Qt::ActiveWindowFocusReason) commit();
    }
    return false;
}

void ValueField::commit() {
    if (editor_ == nullptr) return;
    const QString typed = editor_->text();
    const bool unchanged = typed == QString::fromStdString(format_value_bare(parameter_, value_));
    closeEditor();
    setFocus();
    if (unchanged) return;
    const auto parsed = parse_value(parameter_, typed.toStdString());
    if (!parsed.ok()) {
        complaint_ = QString::fromStdString(parsed.error().text());
        setAccessibleDescription(complaint_);
        update();
        emit refused(complaint_);
        return;
    }
    want(parsed.value());
    emit finished();
}

void ValueField::closeEditor() {
    if (editor_ == nullptr) return;
    QLineEdit* closing = editor_;
    editor_ = nullptr;
    closing->removeEventFilter(this);
    closing->setObjectName({});
    closing->hide();
    closing->deleteLater();
    update();
}

}  // namespace reed::ui
