#include "remote/portal_shortcuts.h"

#include <QDBusArgument>
#include <QDBusConnectionInterface>
#include <QDBusMessage>
#include <QDBusMetaType>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>

#include <utility>

#include "actions/actions.h"

namespace reed::ui {

/// (sa{sv}) of the portal: an id and its description.
struct PortalShortcut {
    QString id;
    QVariantMap options;
};
using PortalShortcutList = QList<PortalShortcut>;

QDBusArgument& operator<<(QDBusArgument& a, const PortalShortcut& s) {
    a.beginStructure();
    a << s.id << s.options;
    a.endStructure();
    return a;
}

const QDBusArgument& operator>>(const QDBusArgument& a, PortalShortcut& s) {
    a.beginStructure();
    a >> s.id >> s.options;
    a.endStructure();
    return a;
}

}  // namespace reed::ui

Q_DECLARE_METATYPE(reed::ui::PortalShortcut)

namespace reed::ui {
namespace {

constexpr const char* kPortal = "org.freedesktop.portal.Desktop";
constexpr const char* kPortalPath = "/org/freedesktop/portal/desktop";
constexpr const char* kShortcuts = "org.freedesktop.portal.GlobalShortcuts";

}  // namespace

PortalShortcuts::PortalShortcuts(Actions& actions, QDBusConnection bus, QObject* parent)
    : QObject(parent), actions_(actions), delivery_(actions), bus_(std::move(bus)) {
    qDBusRegisterMetaType<PortalShortcut>();
    qDBusRegisterMetaType<PortalShortcutList>();
    portal_.setWatchMode(QDBusServiceWatcher::WatchForOwnerChange);
    portal_.addWatchedService(kPortal);
    portal_.setConnection(bus_);
    connect(&portal_, &QDBusServiceWatcher::serviceUnregistered, this, &PortalShortcuts::lost);
    connect(&portal_, &QDBusServiceWatcher::serviceRegistered, this, [this] {
        if (bound_) bind();  // it was lost while its keys were in use
    });
}

void PortalShortcuts::lost() {
    session_path_.clear();
    delivery_.ownerLost();
}

void PortalShortcuts::onClosed(const QDBusMessage& signal) {
    if (signal.path() != session_path_) return;
    lost();
    bound_ = false;
    emit failed(tr("The desktop closed the global shortcuts. Set them up again in the menu."));
}

/// Asks the portal for the version of its global shortcuts; an error: it has none.
static QDBusMessage versionCall() {
    QDBusMessage call =
        QDBusMessage::createMethodCall(kPortal, kPortalPath, "org.freedesktop.DBus.Properties", "Get");
    call.setArguments({QString(kShortcuts), QStringLiteral("version")});
    return call;
}

bool PortalShortcuts::offered() const {
    return bus_.isConnected() &&
           bus_.call(versionCall(), QDBus::Block, 1000).type() == QDBusMessage::ReplyMessage;
}

void PortalShortcuts::find(QObject* context, const std::function<void(bool offered)>& found) const {
    if (!bus_.isConnected()) return found(false);
    auto* answer = new QDBusPendingCallWatcher(bus_.asyncCall(versionCall(), 1000), context);
    connect(answer, &QDBusPendingCallWatcher::finished, context, [found](QDBusPendingCallWatcher* call) {
        call->deleteLater();
        found(!call->isError());
    });
}

/// The request's path is known beforehand (portal documentation, org.freedesktop.portal.Request), so that no
/// answer is missed. Returns the token to send along.
QString PortalShortcuts::expectResponse(const char* slot) {
    QString token = QStringLiteral("dusky_reed_%1").arg(++requests_);
    QString sender = bus_.baseService().mid(1);
    sender.replace('.', '_');
    bus_.connect(kPortal, QStringLiteral("/org/freedesktop/portal/desktop/request/%1/%2").arg(sender, token),
                 "org.freedesktop.portal.Request", "Response", this, slot);
    return token;
}

void PortalShortcuts::bind() {
    if (!offered()) {
        emit failed(
            tr("This desktop doesn't support global shortcuts for apps. In its keyboard settings, add custom "
               "shortcuts that run commands such as “dusky-reed --send toggle-mute”."));
        return;
    }
    // Only now: offered() has started the portal where the bus starts it on demand.
    if (requests_ == 0) {
        for (const char* name : {"Activated", "Deactivated"})
            bus_.connect(kPortal, kPortalPath, kShortcuts, name, this, SLOT(onKey(QDBusMessage)));
        bus_.connect(kPortal, {}, "org.freedesktop.portal.Session", "Closed", this,
                     SLOT(onClosed(QDBusMessage)));
    }
    QDBusMessage call = QDBusMessage::createMethodCall(kPortal, kPortalPath, kShortcuts, "CreateSession");
    QVariantMap options;
    options["handle_token"] = expectResponse(SLOT(onCreated(uint, QVariantMap)));
    options["session_handle_token"] = QStringLiteral("dusky_reed");
    call.setArguments({options});
    bus_.asyncCall(call);
}

/// The desktop stores its bindings under this id, so it stays that of earlier versions.
static QString portalId(const ShortcutSlot& slot) {
    return QString(slot.formerly.isEmpty() ? slot.id : slot.formerly).replace(' ', '-');
}

void PortalShortcuts::onCreated(uint response, const QVariantMap& results) {
    session_path_ = results.value("session_handle").toString();
    if (response != 0 || session_path_.isEmpty()) {
        emit failed(tr("The desktop denied access to global shortcuts."));
        emit refused();
        return;
    }
    PortalShortcutList wanted;
    for (const ShortcutSlot& slot : actions_.app().preferences().keys().all()) {
        const QString id = slot.id.section(' ', 0, 0);
        if (!find_action(id)->everywhere) continue;
        QString words = slot.title;
        // Numbered slots: only those that refer to something, with its name.
        if (const int n = slot.id.section(' ', 1).toInt(); n > 0 && find_action(id)->numbered > 0) {
            const QString name = actions_.nameOf(id, n);
            if (name.isEmpty()) continue;
            words += ": " + name;
        }
        QVariantMap shortcut{{"description", words}};
        if (id == "talk") shortcut["preferred_trigger"] = "CTRL+ALT+m";
        wanted.append({portalId(slot), shortcut});
    }
    QDBusMessage call = QDBusMessage::createMethodCall(kPortal, kPortalPath, kShortcuts, "BindShortcuts");
    QVariantMap options;
    options["handle_token"] = expectResponse(SLOT(onBound(uint, QVariantMap)));
    call.setArguments({QVariant::fromValue(QDBusObjectPath(session_path_)), QVariant::fromValue(wanted),
                       QString(), options});
    bus_.asyncCall(call);
}

void PortalShortcuts::onBound(uint response, const QVariantMap&) {
    bound_ = response == 0;
    if (bound_) {
        emit bound();
        return;
    }
    emit failed(tr("Global shortcuts were not set up."));
    emit refused();
}

void PortalShortcuts::onKey(const QDBusMessage& signal) {
    // (o session, s id, t time, a{sv} options)
    const QVariantList arguments = signal.arguments();
    if (arguments.size() < 2 || arguments[0].value<QDBusObjectPath>().path() != session_path_) return;
    const QString id = arguments[1].toString();
    const bool down = signal.member() == "Activated";
    for (const ShortcutSlot& slot : actions_.app().preferences().keys().all()) {
        if (portalId(slot) != id) continue;
        delivery_.deliver(slot.id, down);
        return;
    }
}

}  // namespace reed::ui
