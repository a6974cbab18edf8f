// Small helpers of widgets.
#pragma once

#include <QPainter>
#include <QString>
#include <QWheelEvent>
#include <QWidget>
#include <string_view>

#include "theme/theme.h"

namespace reed::ui {

/// Converts UTF-8 text of the core.
inline QString text(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<int>(s.size()));
}

/// Wheel steps, up positive. With Shift or Alt some systems send horizontal steps; they count too.
inline double wheelNotches(const QWheelEvent& event) {
    const QPoint angle = event.angleDelta();
    return (angle.y() != 0 ? angle.y() : angle.x()) / 120.0;
}

/// Paints the background of an opaque panel.
inline void paintPanelGround(QPainter& p, const QWidget& panel) {
    p.fillRect(panel.rect(), theme().window);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(theme().panel);
    p.drawRoundedRect(panel.rect(), 10, 10);
}

/// Paints the background of a plot on a panel, with a ring while it has the keyboard focus.
inline void paintPlotGround(QPainter& p, const QWidget& plot) {
    const Theme& t = theme();
    p.fillRect(plot.rect(), t.panel);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(plot.hasFocus() ? QPen(t.marsh, 1.5) : QPen(Qt::NoPen));
    p.setBrush(t.sunken);
    p.drawRoundedRect(QRectF(plot.rect()).adjusted(1, 1, -1, -1), 6, 6);
}

}  // namespace reed::ui
