// Global shortcuts through the XDG desktop portal.
#pragma once

#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusObjectPath>
#include <QDBusServiceWatcher>
#include <QObject>
#include <QVariantMap>
#include <functional>

#include "remote/shortcut_delivery.h"

namespace reed::ui {

class Actions;

/// Binds the actions that are useful in every window (Action::everywhere); the desktop asks the user for the
/// keys. When the portal ends or closes the session, held shortcuts are released (Actions::ownerLost()). When
/// the portal is back, they are bound again. Source: XDG Desktop Portal documentation,
/// org.freedesktop.portal.GlobalShortcuts version 1.
class PortalShortcuts final : public QObject {
    Q_OBJECT
  public:
    PortalShortcuts(Actions& actions, QDBusConnection bus, QObject* parent = nullptr);

    /// Whether a portal with global shortcuts is on the bus. Blocks for up to 1 s.
    bool offered() const;
    /// The same without blocking: calls `found`, at once without a bus, else later, unless `context` is
    /// deleted before.
    void find(QObject* context, const std::function<void(bool offered)>& found) const;
    /// Binds the shortcuts; bound() or failed() follows.
    void bind();
    bool isBound() const { return !session_path_.isEmpty() && bound_; }

  signals:
    void bound();
    void failed(const QString& why);
    /// The user or the desktop refused; follows failed().
    void refused();

  private:
    Q_SLOT void onCreated(uint response, const QVariantMap& results);
    Q_SLOT void onBound(uint response, const QVariantMap& results);
    Q_SLOT void onKey(const QDBusMessage& signal);
    Q_SLOT void onClosed(const QDBusMessage& signal);
    QString expectResponse(const char* slot);
    Actions& actions_;
    ShortcutDelivery delivery_;
    QDBusConnection bus_;
    void lost();
    QString session_path_;
    QDBusServiceWatcher portal_;
    bool bound_ = false;
    int requests_ = 0;
};

}  // namespace reed::ui
