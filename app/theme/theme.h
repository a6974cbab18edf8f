// Colours and type of the interface. Two themes with the same roles: Dusk (dark) and Dawn (light).
#pragma once

#include <QColor>
#include <QFont>
#include <QString>

namespace reed::ui {

struct Theme {
    QString name;
    QColor window;     ///< background of the window
    QColor panel;      ///< background of panels
    QColor raised;     ///< buttons, nodes, fields
    QColor sunken;     ///< tracks and plots
    QColor line;       ///< grid and borders
    QColor text;       ///< on window, panel, raised, sunken: at least 4.5:1
    QColor muted;      ///< secondary text, same contrast
    QColor straw;      ///< the voice
    QColor strawFill;  ///< range of the voice
    QColor room;       ///< background noise
    QColor roomFill;
    QColor ember;   ///< overload and errors
    QColor marsh;   ///< on, and keyboard focus
    QColor chosen;  ///< background of the selection
    QColor now;     ///< current level

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

/// Font of the interface; size in pixels at 100 % scale, with tabular figures.
QFont font(int pixels, bool bold = false);

}  // namespace reed::ui
