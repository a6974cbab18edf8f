// Shortcuts that work while another program has the keyboard.
#pragma once

#include <QDBusConnection>
#include <QObject>
#include <memory>

#include "remote/portal_shortcuts.h"
#include "remote/shortcut_delivery.h"

namespace reed::ui {

class X11KeyGrabs;

/// Delivers global shortcuts: by the desktop portal if it has them, otherwise by grabs on the X server.
/// Follows the wishes of GlobalKeys and reports there who provides them and what is not in effect.
class GlobalShortcuts final : public QObject {
    Q_OBJECT
  public:
    /// `display`: the X server whose keys may be grabbed, as in $DISPLAY; empty: none (Wayland, no display).
    GlobalShortcuts(Actions& actions, const QDBusConnection& bus, QByteArray display,
                    QObject* parent = nullptr);
    ~GlobalShortcuts() override;

    /// Finds the provider without blocking, and puts the shortcuts of the last session into effect.
    void start();
    /// What the menu does: the desktop asks for the keys, or the list of shortcuts opens.
    void setUp();

    /// The X server whose keys may be grabbed in this session; empty in a Wayland session.
    static QByteArray displayOfSession();

  signals:
    void failed(const QString& why);

  private:
    void useXServer();
    void grab();

    Actions& actions_;
    ShortcutDelivery delivery_;
    PortalShortcuts portal_;
    QByteArray display_;
    std::unique_ptr<X11KeyGrabs> grabs_;
};

}  // namespace reed::ui
