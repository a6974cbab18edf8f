// How strips are told apart: a colour and a shape each, so that never the colour alone tells.
#pragma once

#include <QColor>
#include <QPainter>

#include "mixer/mixer_spec.h"
#include "theme/theme.h"

namespace reed::ui {

/// Of strip colour `which`, 0 to kStripColours - 1, in the theme in use.
QColor stripColour(int which);
/// Its shape in `where`, filled.
void drawStripMarker(QPainter& painter, int which, const QRectF& where);
/// "Straw, disc": for menus and screen readers.
QString stripColourName(int which);

}  // namespace reed::ui
