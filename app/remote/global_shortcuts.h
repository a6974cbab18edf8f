// Keys that work in every window, where the desktop offers them (XDG desktop portal, GlobalShortcuts).
#pragma once

#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusObjectPath>
#include <QDBusServiceWatcher>
#include <QObject>
#include <QVariantMap>
#include <set>

namespace reed::ui {

class Actions;

/// When the portal ends, or closes the session, what was held comes up (Actions::ownerLost()); a portal that
/// comes back is asked again. Asks the portal for a session and binds what is of use everywhere
/// (Action::everywhere). Which keys they are, the desktop asks the person. Source: XDG Desktop Portal
/// documentation, org.freedesktop.portal.GlobalShortcuts version 1.
class GlobalShortcuts final : public QObject {
    Q_OBJECT
  public:
    GlobalShortcuts(Actions& actions, QDBusConnection bus, QObject* parent = nullptr);

    /// Whether a portal with global shortcuts answers on the bus.
    bool offered() const;
    /// Binds the keys; bound() or failed() follows.
    void bind();
    bool isBound() const { return !session_path_.isEmpty() && bound_; }

  signals:
    void bound();
    void failed(const QString& why);

  private:
    Q_SLOT void onCreated(uint response, const QVariantMap& results);
    Q_SLOT void onBound(uint response, const QVariantMap& results);
    Q_SLOT void onKey(const QDBusMessage& signal);
    Q_SLOT void onClosed(const QDBusMessage& signal);
    QString expectResponse(const char* slot);
    Actions& actions_;
    QDBusConnection bus_;
    void lost();
    QString session_path_;
    QDBusServiceWatcher portal_;
    std::set<QString> held_;  // slots whose keys are down
    bool bound_ = false;
    int requests_ = 0;
};

}  // namespace reed::ui
