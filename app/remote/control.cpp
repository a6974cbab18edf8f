#include "remote/control.h"

#include <QDBusConnectionInterface>
#include <QDBusMessage>
#include <QDBusReply>
#include <QTimer>
#include <chrono>

#include "actions/actions.h"
#include "model/strips/monitor_controller.h"

namespace reed::ui {
namespace {

constexpr auto kTryAgain = std::chrono::seconds(1);
constexpr int kAnswer = 20'000;  // ms; what is written to the disk may take its time

}  // namespace

RemoteControl::RemoteControl(Actions& actions, QObject* parent)
    : QObject(parent), actions_(actions), app_(actions.app()) {
    try_again_.setSingleShot(true);
    connect(&try_again_, &QTimer::timeout, this, &RemoteControl::reconnect);
    talkers_.setWatchMode(QDBusServiceWatcher::WatchForUnregistration);
    connect(&talkers_, &QDBusServiceWatcher::serviceUnregistered, this, &RemoteControl::talkerLeft);
    connect(&app_.mute(), &MicrophoneMute::changed, this, [this] { emit MutedChanged(app_.mute().on()); });
    connect(&app_.mixer().main().chainModel(), &ChainModel::changed, this, [this] {
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
        talkers_.setConnection(bus);
        bus.connect({}, "/org/freedesktop/DBus/Local", "org.freedesktop.DBus.Local", "Disconnected", this,
                    SLOT(reconnect()));
        return Outcome::registered;
    }
    bus.unregisterObject(kServicePath);
    return Outcome::already_running;
}

void RemoteControl::talkerLeft(const QString& who) {
    if (!talkers_.removeWatchedService(who) || !talkers_.watchedServices().isEmpty()) return;
    actions_.ownerLost("talk");
}

void RemoteControl::reconnect() {
    // Its holders on the bus can no longer release the talk key.
    if (!talkers_.watchedServices().isEmpty()) {
        talkers_.setWatchedServices({});
        actions_.ownerLost("talk");
    }
    QDBusConnection::disconnectFromBus(bus_name_);
    bus_name_ = QString("dusky-reed-%1").arg(++connections_);
    if (publish(QDBusConnection::connectToBus(QDBusConnection::SessionBus, bus_name_)) != Outcome::registered)
        try_again_.start(kTryAgain);
}

void RemoteControl::Do(const QString& action, const QString& argument) {
    const QString why = actions_.run(action, argument);
    const Action* known = find_action(action);
    if (why.isEmpty() && calledFromDBus() && known != nullptr && known->written) {
        setDelayedReply(true);
        app_.scenes().whenWritten([call = message(), bus = connection()](const QString& problem) {
            (void)bus.send(problem.isEmpty() ? call.createReply()
                                             : call.createErrorReply("org.duskyreed.Error.Refused", problem));
        });
        return;
    }
    if (why.isEmpty()) return;
    if (calledFromDBus())
        sendErrorReply("org.duskyreed.Error.Refused", why);
    else
        app_.mixer().main().notices().warn(why);
}

QStringList RemoteControl::ListActions() {
    QStringList out;
    for (const Action& a : action_table())
        out << usage(a) + ": " + QObject::tr(a.title).replace("%1", tr("by name or position"));
    return out;
}

bool RemoteControl::muted() const {
    return app_.mute().on();
}

QString RemoteControl::scene() const {
    return QString::fromStdString(app_.mixer().name());
}

QString RemoteControl::monitor() const {
    static constexpr const char* kSources[] = {"off", "feed", "plain", "removed", "tap"};
    return kSources[static_cast<int>(actions_.strip().monitoring().settings().source)];
}

void RemoteControl::Mute(bool muted) {
    Do(muted ? "mute" : "unmute", {});
}

void RemoteControl::ToggleMute() {
    Do("toggle-mute", {});
}

void RemoteControl::Talk(bool held) {
    if (calledFromDBus()) {
        const QString who = message().service();
        talkers_.removeWatchedService(who);
        if (held) talkers_.addWatchedService(who);
    }
    Do("talk", held ? "on" : "off");
    // It may have gone before it was watched.
    if (held && calledFromDBus() && !connection().interface()->isServiceRegistered(message().service()))
        talkerLeft(message().service());
}

QStringList RemoteControl::Scenes() {
    QStringList out;
    for (const auto& entry : app_.scenes().scenes()) out << QString::fromStdString(entry.scene.name);
    return out;
}

void RemoteControl::RecallScene(const QString& name) {
    Do("scene", name);
}

QStringList RemoteControl::Stages() {
    QStringList out;
    for (const auto& s : actions_.strip().chainModel().chain().stages) out << QString::fromStdString(s.id);
    return out;
}

void RemoteControl::Bypass(const QString& stage, bool bypassed) {
    Do(bypassed ? "bypass" : "enable-stage", stage);
}

void RemoteControl::ToggleBypass(const QString& stage) {
    Do("toggle-stage", stage);
}

void RemoteControl::SetMonitor(const QString& source) {
    Do("monitor", source);
}

void RemoteControl::Raise() {
    Do("raise", {});
}

QString sendCommand(const QDBusConnection& bus, const QStringList& words) {
    const Action* action = words.isEmpty() ? nullptr : find_action(words.first());
    const QString rest = words.mid(1).join(' ');
    const bool fits = action != nullptr && rest.isEmpty() == (action->argument == Argument::none);
    if (!fits) {
        QStringList all;
        for (const Action& a : action_table()) all << usage(a);
        const QString commands = QObject::tr("Commands: %1.").arg(all.join(", "));
        return words.isEmpty() ? commands
                               : QObject::tr("Unknown command “%1”. ").arg(words.join(' ')) + commands;
    }
    if (!bus.isConnected()) return QObject::tr("No D-Bus session bus found, so Dusky Reed can't be reached.");
    if (!bus.interface()->isServiceRegistered(kServiceName)) return QObject::tr("Dusky Reed is not running.");
    QDBusMessage call = QDBusMessage::createMethodCall(kServiceName, kServicePath, kControlInterface, "Do");
    call.setArguments({QString(action->id), rest});
    const QDBusMessage answer = bus.call(call, QDBus::Block, kAnswer);
    return answer.type() == QDBusMessage::ErrorMessage ? answer.errorMessage() : QString();
}

}  // namespace reed::ui
