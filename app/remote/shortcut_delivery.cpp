#include "remote/shortcut_delivery.h"

#include <algorithm>
#include <utility>

#include "actions/actions.h"

namespace reed::ui {

void ShortcutDelivery::deliver(const QString& id, bool down) {
    const auto& all = actions_.app().preferences().keys().all();
    const auto slot = std::ranges::find(all, id, &ShortcutSlot::id);
    if (slot == all.end()) return;
    if (slot->held) {
        if (down)
            held_.insert(id);
        else if (held_.erase(id) == 0)
            return;
        actions_.hold(id, down);
    } else if (down) {
        actions_.act(id.section(' ', 0, 0), id.section(' ', 1));
    }
}

void ShortcutDelivery::ownerLost(const QString& slot) {
    if (held_.erase(slot) > 0) actions_.ownerLost(slot);
}

void ShortcutDelivery::ownerLost() {
    for (const QString& slot : std::exchange(held_, {})) actions_.ownerLost(slot);
}

}  // namespace reed::ui
