// Small things that several widgets need.
#pragma once

#include <QPainter>
#include <QString>
#include <QWheelEvent>
#include <QWidget>
#include <string_view>

#include "theme/theme.h"

namespace reed::ui {

/// The core's text (UTF-8) as Qt's.
inline QString text(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<int>(s.size()));
}

/// Notches of the wheel, up positive. With Shift or Alt some systems turn it sideways.
inline double wheelNotches(const QWheelEvent& event) {
    const QPoint angle = event.angleDelta();
    return (angle.y() != 0 ? angle.y() : angle.x()) / 120.0;
}

/// The ground of a panel that paints all of itself.
inline void paintPanelGround(QPainter& p, const QWidget& panel) {
    p.fillRect(panel.rect(), theme().window);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(theme().panel);
    p.drawRoundedRect(panel.rect(), 10, 10);
}

/// The sunken ground of a plot on its panel, with a ring while it has the keyboard.
inline void paintPlotGround(QPainter& p, const QWidget& plot) {
    const Theme& t = theme();
    p.fillRect(plot.rect(), t.panel);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(plot.hasFocus() ? QPen(t.marsh, 1.5) : QPen(Qt::NoPen));
    p.setBrush(t.sunken);
    p.drawRoundedRect(QRectF(plot.rect()).adjusted(1, 1, -1, -1), 6, 6);
}

}  // namespace reed::ui
