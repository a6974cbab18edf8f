#include "theme/theme.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPalette>
#include <QWidget>
#include <cmath>

namespace reed::ui {
namespace {

const Theme* g_theme = nullptr;
QString g_family;

double linear(double channel) {
    return channel <= 0.04045 ? channel / 12.92 : std::pow((channel + 0.055) / 1.055, 2.4);
}

double luminance(const QColor& c) {
    return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
}

QString styleSheet(const Theme& t) {
    // Only for the few standard widgets (menus, edit fields, lists to choose from, tool tips); the rest
    // paints itself.
    return QStringLiteral(
               "QMenu { background: %1; color: %2; border: 1px solid %3; padding: 4px; }"
               "QMenu::item { padding: 6px 22px 6px 12px; border-radius: 4px; }"
               "QMenu::item:selected { background: %4; }"
               "QMenu::item:disabled { color: %5; }"
               "QMenu::separator { height: 1px; background: %3; margin: 4px 8px; }"
               "QLineEdit, QPlainTextEdit { background: %6; color: %2; border: 1px solid %3; border-radius: "
               "4px;"
               " padding: 1px 5px; selection-background-color: %4; selection-color: %2; }"
               "QLineEdit:focus, QPlainTextEdit:focus { border: 1px solid %7; }"
               "QComboBox { background: %1; color: %2; border: 1px solid %3; border-radius: 7px; padding: "
               "4px 10px; }"
               "QComboBox:focus { border: 1px solid %7; }"
               "QComboBox QAbstractItemView { background: %1; color: %2; selection-background-color: %4;"
               " selection-color: %2; border: 1px solid %3; }"
               "QToolTip { background: %1; color: %2; border: 1px solid %3; padding: 4px; }")
        .arg(t.raised.name(), t.text.name(), t.line.name(), t.chosen.name(), t.muted.name(), t.sunken.name(),
             t.marsh.name());
}

}  // namespace

const Theme& Theme::dusk() {
    static const Theme t{"dusk",
                         QColor("#29242c"),
                         QColor("#332d37"),
                         QColor("#3f3844"),
                         QColor("#26212a"),
                         QColor("#4a424f"),
                         QColor("#f2ece2"),
                         QColor("#b9adb8"),
                         QColor("#e0bb73"),
                         QColor(224, 187, 115, 105),
                         QColor("#9fb4c6"),
                         QColor(122, 147, 168, 105),
                         QColor("#f08a66"),
                         QColor("#9dc295"),
                         QColor("#51445a"),
                         QColor("#fff8ea")};
    return t;
}

const Theme& Theme::dawn() {
    static const Theme t{"dawn",
                         QColor("#efe9e1"),
                         QColor("#faf6f0"),
                         QColor("#e6ddd3"),
                         QColor("#f1ebe3"),
                         QColor("#d5cabf"),
                         QColor("#2b2430"),
                         QColor("#62566a"),
                         QColor("#7d5a10"),
                         QColor(205, 160, 70, 110),
                         QColor("#3f5a72"),
                         QColor(110, 140, 165, 95),
                         QColor("#a83c14"),
                         QColor("#3b6636"),
                         QColor("#dccfdf"),
                         QColor("#1d1721")};
    return t;
}

const Theme& theme() {
    return g_theme != nullptr ? *g_theme : Theme::dusk();
}

void setTheme(const QString& name) {
    g_theme = name == "dawn" ? &Theme::dawn() : &Theme::dusk();
    const Theme& t = *g_theme;
    QPalette p;
    p.setColor(QPalette::Window, t.window);
    p.setColor(QPalette::WindowText, t.text);
    p.setColor(QPalette::Base, t.sunken);
    p.setColor(QPalette::Text, t.text);
    p.setColor(QPalette::Button, t.raised);
    p.setColor(QPalette::ButtonText, t.text);
    p.setColor(QPalette::Highlight, t.chosen);
    p.setColor(QPalette::HighlightedText, t.text);
    p.setColor(QPalette::PlaceholderText, t.muted);
    p.setColor(QPalette::ToolTipBase, t.raised);
    p.setColor(QPalette::ToolTipText, t.text);
    QApplication::setPalette(p);
    qApp->setStyleSheet(styleSheet(t));
    for (QWidget* w : QApplication::allWidgets()) w->update();
}

double contrastRatio(const QColor& a, const QColor& b) {
    const double la = luminance(a) + 0.05;
    const double lb = luminance(b) + 0.05;
    return std::max(la, lb) / std::min(la, lb);
}

void loadFonts() {
    if (!g_family.isEmpty()) return;
    for (const char* file : {":/fonts/Lato-Regular.ttf", ":/fonts/Lato-Bold.ttf"}) {
        const int id = QFontDatabase::addApplicationFont(file);
        if (id >= 0) g_family = QFontDatabase::applicationFontFamilies(id).value(0);
    }
    QApplication::setFont(font(14));
}

QFont font(int pixels, bool bold) {
    QFont f(g_family);
    f.setPixelSize(pixels);
    f.setWeight(bold ? QFont::Bold : QFont::Normal);
    return f;
}

}  // namespace reed::ui
