#include "widgets/flat_button.h"

#include <QEvent>
#include <QPainter>

#include "theme/theme.h"
#include "widgets/icon.h"
#include "widgets/strip_marker.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {
constexpr int kPad = 11;
constexpr int kIcon = 16;
constexpr int kSign = 11;
constexpr int kGap = 6;
constexpr int kWidestText = 190;
}  // namespace

FlatButton::FlatButton(const QString& text, QWidget* parent) : QAbstractButton(parent) {
    setText(text);
    setFont(ui::font(14));
    setFocusPolicy(Qt::TabFocus);
    setAttribute(Qt::WA_Hover);
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
}

FlatButton* FlatButton::raised(const QString& object_name, const QString& text, QWidget* parent) {
    auto* out = new FlatButton(text, parent);
    out->setObjectName(object_name);
    out->setWeight(Weight::raised);
    return out;
}

void FlatButton::setIconName(const QString& name) {
    icon_ = name;
    updateGeometry();
}

void FlatButton::setWeight(Weight weight) {
    weight_ = weight;
    update();
}

void FlatButton::setPrefix(const QString& prefix) {
    prefix_ = prefix;
    updateGeometry();
}

void FlatButton::setSign(std::optional<int> colour) {
    sign_ = colour;
    updateGeometry();
    update();
}

int FlatButton::fixedWidth() const {
    int w = 2 * kPad;
    if (sign_) w += kSign + (text().isEmpty() ? 0 : kGap);
    if (!icon_.isEmpty()) w += kIcon + (text().isEmpty() ? 0 : kGap);
    if (!prefix_.isEmpty()) w += fontMetrics().horizontalAdvance(prefix_) + kGap;
    return w;
}

int FlatButton::textWidth() const {
    if (measured_width_ < 0 || measured_ != text()) {
        measured_ = text();
        measured_width_ = fontMetrics().horizontalAdvance(measured_);
    }
    return measured_width_;
}

QSize FlatButton::sizeHint() const {
    return {fixedWidth() + std::min(kWidestText, textWidth() + 1), 32};
}

QSize FlatButton::minimumSizeHint() const {
    return {fixedWidth() + std::min(44, textWidth() + 1), 32};
}

void FlatButton::changeEvent(QEvent* event) {
    if (event->type() == QEvent::FontChange) measured_width_ = -1;
    QAbstractButton::changeEvent(event);
}

void FlatButton::enterEvent(QEnterEvent*) {
    update();
}
void FlatButton::leaveEvent(QEvent*) {
    update();
}

void FlatButton::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF box = QRectF(rect()).adjusted(1, 1, -1, -1);
    QColor fill = weight_ == Weight::plain ? QColor(Qt::transparent) : t.raised;
    QColor ink = isEnabled() ? t.text : t.muted;
    if (isChecked()) {
        fill = weight_ == Weight::alarm ? t.ember : t.chosen;
        if (weight_ == Weight::alarm) ink = contrastRatio(t.window, t.ember) > 4.5 ? t.window : t.panel;
    } else if (underMouse() && isEnabled()) {
        fill = t.chosen;
    }
    if (isDown()) fill = fill.darker(108);
    p.setPen(Qt::NoPen);
    p.setBrush(fill);
    p.drawRoundedRect(box, 7, 7);
    if (hasFocus() || (isChecked() && weight_ != Weight::alarm)) {
        p.setPen(QPen(hasFocus() ? t.marsh : t.straw, hasFocus() ? 2.0 : 1.2));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(box, 7, 7);
    }
    QRect inside = rect().adjusted(kPad, 0, -kPad, 0);
    if (!icon_.isEmpty()) {
        const double x = text().isEmpty() ? (width() - kIcon) / 2.0 : inside.left();
        drawIcon(p, icon_, QRectF(x, (height() - kIcon) / 2.0, kIcon, kIcon), ink);
        inside.adjust(kIcon + kGap, 0, 0, 0);
    }
    if (sign_) {
        drawStripMarker(p, *sign_, QRectF(inside.left(), (height() - kSign) / 2.0, kSign, kSign));
        inside.adjust(kSign + kGap, 0, 0, 0);
    }
    p.setFont(font());
    if (!prefix_.isEmpty()) {
        p.setPen(t.muted);
        p.drawText(inside, Qt::AlignLeft | Qt::AlignVCenter, prefix_);
        inside.adjust(fontMetrics().horizontalAdvance(prefix_) + kGap, 0, 0, 0);
    }
    p.setPen(ink);
    p.drawText(inside, Qt::AlignLeft | Qt::AlignVCenter,
               elidedByWords(fontMetrics(), text(), inside.width() + 1));
}

}  // namespace reed::ui
