#include "remote/desktop_keys.h"

#include <QDBusArgument>
#include <QDBusConnectionInterface>
#include <QDBusMessage>
#include <QDBusMetaType>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>

#include "session/monitoring.h"
#include "session/session.h"

namespace reed::ui {

/// (sa{sv}) of the portal: an id and its description.
struct PortalShortcut {
    QString id;
    QVariantMap options;
};
using PortalShortcuts = QList<PortalShortcut>;

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

DesktopKeys::DesktopKeys(Session& session, QDBusConnection bus, QObject* parent)
    : QObject(parent), session_(session), bus_(std::move(bus)) {
    qDBusRegisterMetaType<PortalShortcut>();
    qDBusRegisterMetaType<PortalShortcuts>();
}

bool DesktopKeys::offered() const {
    if (!bus_.isConnected()) return false;
    QDBusMessage call =
        QDBusMessage::createMethodCall(kPortal, kPortalPath, "org.freedesktop.DBus.Properties", "Get");
    call.setArguments({QString(kShortcuts), QStringLiteral("version")});
    return bus_.call(call, QDBus::Block, 1000).type() == QDBusMessage::ReplyMessage;
}

/// The request's path is known beforehand (portal documentation, org.freedesktop.portal.Request), so that no
/// answer is missed. Returns the token to send along.
QString DesktopKeys::expectResponse(const char* slot) {
    const QString token = QStringLiteral("dusky_reed_%1").arg(++requests_);
    QString sender = bus_.baseService().mid(1);
    sender.replace('.', '_');
    bus_.connect(kPortal, QStringLiteral("/org/freedesktop/portal/desktop/request/%1/%2").arg(sender, token),
                 "org.freedesktop.portal.Request", "Response", this, slot);
    return token;
}

void DesktopKeys::bind() {
    if (!offered()) {
        emit failed(tr(
            "This desktop offers no keys that work everywhere. Bind keys there to \"dusky-reed --send mute\" "
            "and the like instead."));
        return;
    }
    // Only now: offered() has started the portal where the bus starts it on demand.
    if (requests_ == 0) {
        for (const char* name : {"Activated", "Deactivated"})
            bus_.connect(kPortal, kPortalPath, kShortcuts, name, this, SLOT(onKey(QDBusMessage)));
    }
    QDBusMessage call = QDBusMessage::createMethodCall(kPortal, kPortalPath, kShortcuts, "CreateSession");
    QVariantMap options;
    options["handle_token"] = expectResponse(SLOT(onCreated(uint, QVariantMap)));
    options["session_handle_token"] = QStringLiteral("dusky_reed");
    call.setArguments({options});
    bus_.asyncCall(call);
}

void DesktopKeys::onCreated(uint response, const QVariantMap& results) {
    session_path_ = results.value("session_handle").toString();
    if (response != 0 || session_path_.isEmpty()) {
        emit failed(tr("The desktop refused its keys."));
        return;
    }
    PortalShortcuts wanted;
    const auto want = [&wanted](const QString& id, const QString& words, const QString& keys) {
        QVariantMap options{{"description", words}};
        if (!keys.isEmpty()) options["preferred_trigger"] = keys;
        wanted.append({id, options});
    };
    want("talk", tr("Mute, or hold to talk"), "CTRL+ALT+m");
    want("monitor", tr("Monitor on and off"), {});
    const auto& scenes = session_.scenes();
    for (size_t i = 0; i < std::min<size_t>(9, scenes.size()); ++i) {
        want(QStringLiteral("scene-%1").arg(i + 1),
             tr("Scene %1: %2").arg(i + 1).arg(QString::fromStdString(scenes[i].scene.name)), {});
    }
    QDBusMessage call = QDBusMessage::createMethodCall(kPortal, kPortalPath, kShortcuts, "BindShortcuts");
    QVariantMap options;
    options["handle_token"] = expectResponse(SLOT(onBound(uint, QVariantMap)));
    call.setArguments({QVariant::fromValue(QDBusObjectPath(session_path_)), QVariant::fromValue(wanted),
                       QString(), options});
    bus_.asyncCall(call);
}

void DesktopKeys::onBound(uint response, const QVariantMap&) {
    bound_ = response == 0;
    if (bound_)
        emit bound();
    else
        emit failed(tr("The desktop's keys were not set."));
}

void DesktopKeys::onKey(const QDBusMessage& signal) {
    // (o session, s id, t time, a{sv} options)
    const QVariantList arguments = signal.arguments();
    if (arguments.size() < 2 || arguments[0].value<QDBusObjectPath>().path() != session_path_) return;
    const QString id = arguments[1].toString();
    const bool down = signal.member() == "Activated";
    if (id == "talk") session_.talk(down);
    if (!down) return;
    if (id == "monitor") session_.monitoring().toggle();
    if (id.startsWith("scene-")) {
        const size_t place = id.mid(6).toUInt();
        const auto& scenes = session_.scenes();
        if (place >= 1 && place <= scenes.size()) session_.recall(std::string(scenes[place - 1].scene.name));
    }
}

}  // namespace reed::ui
