// Keys that work in every window, where the desktop offers them (XDG desktop portal, GlobalShortcuts).
#pragma once

#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusObjectPath>
#include <QObject>
#include <QVariantMap>

namespace reed::ui {

class Actions;

/// Asks the portal for a session and binds what is of use everywhere (Action::everywhere). Which keys they
/// are, the desktop asks the person. Source: XDG Desktop Portal documentation,
/// org.freedesktop.portal.GlobalShortcuts version 1.
class DesktopKeys final : public QObject {
    Q_OBJECT
  public:
    DesktopKeys(Actions& actions, QDBusConnection bus, QObject* parent = nullptr);

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
    QString expectResponse(const char* slot);
    Actions& actions_;
    QDBusConnection bus_;
    QString session_path_;
    bool bound_ = false;
    int requests_ = 0;
};

}  // namespace reed::ui
