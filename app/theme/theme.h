// Colours and type of the interface. Two themes with the same roles: Dusk (dark) and Dawn (light).
#pragma once

#include <QColor>
#include <QFont>
#include <QString>

namespace reed::ui {

struct Theme {
    QString name;
    QColor window;     ///< behind everything
    QColor panel;      ///< the areas things stand on
    QColor raised;     ///< buttons, nodes, fields
    QColor sunken;     ///< tracks and plots
    QColor line;       ///< grid and borders
    QColor text;       ///< on window, panel, raised, sunken: at least 4.5:1
    QColor muted;      ///< secondary text: at least 4.5:1 as well
    QColor straw;      ///< the voice
    QColor strawFill;  ///< the voice's range
    QColor room;       ///< the room
    QColor roomFill;
    QColor ember;   ///< over, and errors
    QColor marsh;   ///< on, and focus
    QColor chosen;  ///< background of what is selected
    QColor now;     ///< the level of this moment

    static const Theme& dusk();
    static const Theme& dawn();
};

/// The theme in use.
const Theme& theme();

/// Switches by name ("dusk", "dawn"; anything else: dusk), sets the application's palette and style sheet.
void setTheme(const QString& name);

/// Contrast ratio of two opaque colours, 1 to 21 (WCAG 2.2, "contrast ratio" and "relative luminance").
double contrastRatio(const QColor& a, const QColor& b);

/// Makes the bundled font known. Call once after QApplication exists.
void loadFonts();

/// The interface's font in a size of pixels at 100 % scale; figures are of one width.
QFont font(int pixels, bool bold = false);

}  // namespace reed::ui
