#include "actions/hold_shortcuts.h"

#include <QApplication>
#include <QKeyEvent>
#include <QWidget>
#include <utility>

#include "actions/actions.h"
#include "actions/shortcuts_dialog.h"

namespace reed::ui {

HoldShortcuts::HoldShortcuts(Actions& actions, std::function<bool(const QObject*)> ours)
    : actions_(actions), ours_(std::move(ours)) {
    qApp->installEventFilter(this);
}

void HoldShortcuts::letGo() {
    for (const auto& [key, slot] : std::exchange(held_, {})) actions_.hold(slot, false);
}

bool HoldShortcuts::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::WindowDeactivate && ours_(watched)) letGo();
    const bool down = event->type() == QEvent::KeyPress;
    const auto* widget = qobject_cast<QWidget*>(watched);
    if (widget == nullptr || (!down && event->type() != QEvent::KeyRelease)) return false;
    // While keys are being changed, it is one like the others.
    if (qobject_cast<ShortcutsDialog*>(widget->window()) != nullptr) return false;
    const auto* key = static_cast<QKeyEvent*>(event);
    const auto known = held_.find(key->key());
    if (key->isAutoRepeat()) return known != held_.end();
    if (down) {
        const QString slot = actions_.holdSlotFor(key->key(), key->modifiers());
        if (slot.isEmpty()) return false;
        held_[key->key()] = slot;
        actions_.hold(slot, true);
        return true;
    }
    if (known == held_.end()) return false;
    const QString slot = known->second;
    held_.erase(known);
    actions_.hold(slot, false);
    return true;
}

}  // namespace reed::ui
