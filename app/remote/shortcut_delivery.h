// Runs the actions of global shortcuts.
#pragma once

#include <QString>
#include <set>

namespace reed::ui {

class Actions;

/// Runs the action of a slot when its shortcut is pressed, and remembers which press-and-hold slots are held.
/// GUI thread only.
class ShortcutDelivery {
  public:
    explicit ShortcutDelivery(Actions& actions) : actions_(actions) {}

    /// `slot`: ShortcutSlot::id. Presses of a slot that does not exist are ignored.
    void deliver(const QString& slot, bool down);
    /// Releases a slot, or all, whose release will not be reported, if it is held. Never unmutes the
    /// microphone (Actions::ownerLost()).
    void ownerLost(const QString& slot);
    void ownerLost();

  private:
    Actions& actions_;
    std::set<QString> held_;
};

}  // namespace reed::ui
