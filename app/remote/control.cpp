#include "remote/control.h"

#include <QDBusConnectionInterface>
#include <QDBusMessage>
#include <QDBusReply>
#include <QTimer>
#include <chrono>

#include "session/monitoring.h"
#include "session/session.h"

namespace reed::ui {
namespace {

constexpr const char* kSources[] = {"off", "feed", "plain", "removed"};
constexpr auto kTryAgain = std::chrono::seconds(1);

/// What another program sent, as far as it is said back to it.
QString shortened(const QString& text) {
    constexpr int kMost = 80;
    return text.size() <= kMost ? text : text.left(kMost) + QStringLiteral(" ...");
}

}  // namespace

RemoteControl::RemoteControl(Session& session, QObject* parent) : QObject(parent), session_(session) {
    try_again_.setSingleShot(true);
    connect(&try_again_, &QTimer::timeout, this, &RemoteControl::comeBack);
    connect(&session_, &Session::muteChanged, this, [this] { emit MutedChanged(session_.muted()); });
    connect(&session_, &Session::chainChanged, this, [this] {
        if (scene() == told_scene_) return;
        told_scene_ = scene();
        emit SceneChanged(told_scene_);
    });
}

RemoteControl::~RemoteControl() {
    if (bus_name_.isEmpty()) return;
    QDBusConnection bus(bus_name_);
    bus.unregisterObject(kServicePath);
    bus.unregisterService(kServiceName);
    if (connections_ > 0) QDBusConnection::disconnectFromBus(bus_name_);
}

RemoteControl::Outcome RemoteControl::publish(QDBusConnection bus) {
    if (!bus.isConnected()) return Outcome::no_bus;
    bus.registerObject(kServicePath, this,
                       QDBusConnection::ExportScriptableSlots | QDBusConnection::ExportScriptableSignals |
                           QDBusConnection::ExportAllProperties);
    if (bus.registerService(kServiceName)) {
        bus_name_ = bus.name();
        bus.connect({}, "/org/freedesktop/DBus/Local", "org.freedesktop.DBus.Local", "Disconnected", this,
                    SLOT(comeBack()));
        return Outcome::registered;
    }
    bus.unregisterObject(kServicePath);
    return Outcome::already_running;
}

void RemoteControl::comeBack() {
    QDBusConnection::disconnectFromBus(bus_name_);
    bus_name_ = QString("dusky-reed-%1").arg(++connections_);
    if (publish(QDBusConnection::connectToBus(QDBusConnection::SessionBus, bus_name_)) != Outcome::registered)
        try_again_.start(kTryAgain);
}

void RemoteControl::refuse(const QString& why) {
    if (calledFromDBus())
        sendErrorReply("org.duskyreed.Error.Refused", why);
    else
        emit session_.message(why, true);
}

bool RemoteControl::muted() const {
    return session_.muted();
}

QString RemoteControl::scene() const {
    return QString::fromStdString(session_.scene().name);
}

QString RemoteControl::monitor() const {
    const auto source = session_.monitoring().settings().source;
    return source == MonitorSource::tap ? QStringLiteral("tap") : kSources[static_cast<int>(source)];
}

void RemoteControl::Mute(bool muted) {
    session_.setMuted(muted);
}

void RemoteControl::ToggleMute() {
    session_.setMuted(!session_.muted());
}

void RemoteControl::Talk(bool held) {
    session_.talk(held);
}

QStringList RemoteControl::Scenes() {
    QStringList out;
    for (const auto& entry : session_.scenes()) out << QString::fromStdString(entry.scene.name);
    return out;
}

void RemoteControl::RecallScene(const QString& name) {
    const QStringList known = Scenes();
    // A number is the place in the list, as with Ctrl+1 to Ctrl+9.
    bool is_number = false;
    const int place = name.toInt(&is_number);
    if (known.contains(name))
        session_.recall(name.toStdString());
    else if (is_number && place >= 1 && place <= known.size())
        session_.recall(known[place - 1].toStdString());
    else
        refuse(tr("There is no scene \"%1\". There are: %2.").arg(shortened(name), known.join(", ")));
}

QStringList RemoteControl::Stages() {
    QStringList out;
    for (const auto& s : session_.chain().stages) out << QString::fromStdString(s.id);
    return out;
}

void RemoteControl::Bypass(const QString& stage, bool bypassed) {
    if (session_.stage(stage.toStdString()) == nullptr)
        refuse(tr("There is no stage \"%1\". There are: %2.").arg(shortened(stage), Stages().join(", ")));
    else
        session_.setBypass(stage.toStdString(), bypassed);
}

void RemoteControl::ToggleBypass(const QString& stage) {
    const StageSpec* s = session_.stage(stage.toStdString());
    Bypass(stage, s == nullptr || !s->bypass);
}

void RemoteControl::SetMonitor(const QString& source) {
    for (int i = 0; i < 4; ++i) {
        if (source != kSources[i]) continue;
        MonitorSettings next = session_.monitoring().settings();
        next.source = static_cast<MonitorSource>(i);
        session_.monitoring().set(next);
        if (session_.monitoring().settings().source != next.source)
            refuse(tr("The monitor can't be heard: there is no output for it."));
        return;
    }
    refuse(tr("\"%1\" can't be monitored; off, feed, plain and removed can.").arg(shortened(source)));
}

void RemoteControl::Raise() {
    emit raiseWanted();
}

QString sendCommand(const QDBusConnection& bus, const QStringList& words) {
    QString usage = QObject::tr(
        "Commands: mute, unmute, toggle-mute, talk on, talk off, scene NAME, bypass STAGE, enable STAGE, "
        "toggle STAGE, "
        "monitor off|feed|plain|removed, raise.");
    if (words.isEmpty()) return usage;
    const QString& verb = words.first();
    const QString rest = words.mid(1).join(' ');
    QString method;
    QVariantList arguments;
    if (verb == "mute" || verb == "unmute") {
        method = "Mute";
        arguments = {verb == "mute"};
    } else if (verb == "toggle-mute") {
        method = "ToggleMute";
    } else if (verb == "talk" && (rest == "on" || rest == "off")) {
        method = "Talk";
        arguments = {rest == "on"};
    } else if (verb == "scene" && !rest.isEmpty()) {
        method = "RecallScene";
        arguments = {rest};
    } else if ((verb == "bypass" || verb == "enable") && !rest.isEmpty()) {
        method = "Bypass";
        arguments = {rest, verb == "bypass"};
    } else if (verb == "toggle" && !rest.isEmpty()) {
        method = "ToggleBypass";
        arguments = {rest};
    } else if (verb == "monitor" && !rest.isEmpty()) {
        method = "SetMonitor";
        arguments = {rest};
    } else if (verb == "raise") {
        method = "Raise";
    } else {
        return QObject::tr("\"%1\" is no command. ").arg(words.join(' ')) + usage;
    }
    if (!bus.isConnected())
        return QObject::tr("There is no session bus (D-Bus), so the program can't be reached.");
    if (!bus.interface()->isServiceRegistered(kServiceName)) return QObject::tr("Dusky Reed is not running.");
    QDBusMessage call = QDBusMessage::createMethodCall(kServiceName, kServicePath, kControlInterface, method);
    call.setArguments(arguments);
    const QDBusMessage answer = bus.call(call, QDBus::Block, 5000);
    return answer.type() == QDBusMessage::ErrorMessage ? answer.errorMessage() : QString();
}

}  // namespace reed::ui
