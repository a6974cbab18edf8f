// Shortcuts as text, with the extra buttons of a mouse.
#pragma once

#include <QKeySequence>
#include <QString>

namespace reed::ui {

/// The extra buttons of a mouse are numbered from 4 (back) and 5 (forward). In a QKeySequence each stands for
/// a key that Qt does not use.
inline constexpr int kFirstMouseButton = 4, kLastMouseButton = 20;

/// Key of an extra button; Qt::Key_unknown for the left, right and middle ones, which are never shortcuts.
Qt::Key mouseKey(Qt::MouseButton button);
/// Number of the mouse button that `key` stands for; 0 if it is a key of the keyboard.
int mouseButtonOf(int key);

/// "Ctrl+M", "Alt+Mouse 4".
QString shortcutText(const QKeySequence& key, QKeySequence::SequenceFormat format = QKeySequence::NativeText);
/// Reads portable text; empty if it is no shortcut.
QKeySequence shortcutFromText(const QString& text);

}  // namespace reed::ui
