#include "actions/hold_shortcuts.h"

#include <QApplication>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QWidget>
#include <utility>

#include "actions/actions.h"
#include "actions/shortcuts_dialog.h"
#include "model/shared/shortcut_text.h"

namespace reed::ui {

HoldShortcuts::HoldShortcuts(Actions& actions, std::function<bool(const QObject*)> ours)
    : actions_(actions), ours_(std::move(ours)) {
    qApp->installEventFilter(this);
}

void HoldShortcuts::letGo() {
    for (const auto& [key, slot] : std::exchange(held_, {})) actions_.hold(slot, false);
}

bool HoldShortcuts::release(int key) {
    const auto known = held_.find(key);
    if (known == held_.end()) return false;
    const QString slot = known->second;
    held_.erase(known);
    actions_.hold(slot, false);
    return true;
}

bool HoldShortcuts::pressMouse(int button, Qt::KeyboardModifiers with) {
    if (const QString slot = actions_.holdSlotFor(button, with); !slot.isEmpty()) {
        held_[button] = slot;
        actions_.hold(slot, true);
        return true;
    }
    const QString slot = actions_.mouseSlotFor(button, with);
    if (!slot.isEmpty()) actions_.act(slot.section(' ', 0, 0), slot.section(' ', 1));
    return !slot.isEmpty();
}

bool HoldShortcuts::eventFilter(QObject* watched, QEvent* event) {
    const QEvent::Type type = event->type();
    if (type == QEvent::WindowDeactivate && ours_(watched)) letGo();
    const bool mouse_down = type == QEvent::MouseButtonPress || type == QEvent::MouseButtonDblClick;
    const bool mouse = mouse_down || type == QEvent::MouseButtonRelease;
    const bool down = type == QEvent::KeyPress;
    const auto* widget = qobject_cast<QWidget*>(watched);
    if (widget == nullptr || (!mouse && !down && type != QEvent::KeyRelease)) return false;
    // While shortcuts are edited, it is one like the others.
    if (qobject_cast<ShortcutsDialog*>(widget->window()) != nullptr) return false;
    if (mouse) {
        const auto* button = static_cast<QMouseEvent*>(event);
        const Qt::Key key = mouseKey(button->button());
        if (key == Qt::Key_unknown) return false;
        return mouse_down ? pressMouse(key, button->modifiers()) : release(key);
    }
    const auto* key = static_cast<QKeyEvent*>(event);
    if (key->isAutoRepeat()) return held_.contains(key->key());
    if (!down) return release(key->key());
    const QString slot = actions_.holdSlotFor(key->key(), key->modifiers());
    if (slot.isEmpty()) return false;
    held_[key->key()] = slot;
    actions_.hold(slot, true);
    return true;
}

}  // namespace reed::ui
