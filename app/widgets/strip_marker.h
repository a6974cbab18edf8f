// Markers of strips: a colour and a shape each, so that the colour is never the only difference.
#pragma once

#include <QColor>
#include <QPainter>

#include "mixer/mixer_spec.h"
#include "theme/theme.h"

namespace reed::ui {

/// Colour number `which`, 0 to kStripColours - 1, in the current theme.
QColor stripColour(int which);
/// Fills the shape in `where`.
void drawStripMarker(QPainter& painter, int which, const QRectF& where);
/// Colour and shape as text ("Straw, disc"), for menus and screen readers.
QString stripColourName(int which);

}  // namespace reed::ui
