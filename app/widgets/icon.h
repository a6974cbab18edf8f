// The built-in icons, in any colour.
#pragma once

#include <QColor>
#include <QPainter>
#include <QString>

namespace reed::ui {

/// Draws the SVG icon `name` (app/icons) into `where`, its strokes in `color`.
void drawIcon(QPainter& painter, const QString& name, const QRectF& where, const QColor& color);

}  // namespace reed::ui
