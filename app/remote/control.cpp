#include "remote/control.h"

#include <QDBusArgument>
#include <QDBusConnectionInterface>
#include <QDBusMessage>
#include <QDBusMetaType>
#include <QDBusReply>
#include <QTimer>
#include <chrono>

#include "actions/actions.h"
#include "model/strips/monitor_controller.h"

namespace reed::ui {

static QDBusArgument& operator<<(QDBusArgument& out, const StripLevelReading& levels) {
    out.beginStructure();
    out << levels.strip << levels.input_peak << levels.input_rms << levels.output_peak << levels.output_rms;
    out.endStructure();
    return out;
}

static const QDBusArgument& operator>>(const QDBusArgument& in, StripLevelReading& levels) {
    in.beginStructure();
    in >> levels.strip >> levels.input_peak >> levels.input_rms >> levels.output_peak >> levels.output_rms;
    in.endStructure();
    return in;
}

static QDBusArgument& operator<<(QDBusArgument& out, const StripAdvice& advice) {
    out.beginStructure();
    out << advice.strip << advice.text;
    out.endStructure();
    return out;
}

static const QDBusArgument& operator>>(const QDBusArgument& in, StripAdvice& advice) {
    in.beginStructure();
    in >> advice.strip >> advice.text;
    in.endStructure();
    return in;
}

namespace {

constexpr auto kTryAgain = std::chrono::seconds(1);
constexpr int kAnswer = 20'000;  // ms; what is written to the disk may take its time

}  // namespace

RemoteControl::RemoteControl(Actions& actions, StateReporter& reporter, QObject* parent)
    : QObject(parent), actions_(actions), app_(actions.app()), reporter_(reporter) {
    qDBusRegisterMetaType<StripLevelReading>();
    qDBusRegisterMetaType<QList<StripLevelReading>>();
    qDBusRegisterMetaType<StripAdvice>();
    qDBusRegisterMetaType<QList<StripAdvice>>();
    try_again_.setSingleShot(true);
    connect(&try_again_, &QTimer::timeout, this, &RemoteControl::reconnect);
    talkers_.setWatchMode(QDBusServiceWatcher::WatchForUnregistration);
    connect(&talkers_, &QDBusServiceWatcher::serviceUnregistered, this, &RemoteControl::talkerLeft);
    subscribers_.setWatchMode(QDBusServiceWatcher::WatchForUnregistration);
    connect(&subscribers_, &QDBusServiceWatcher::serviceUnregistered, this, [this](const QString& who) {
        subscribers_.removeWatchedService(who);
        followSubscribers();
    });
    connect(&reporter_, &StateReporter::mutedChanged, this, [this](bool on) {
        emit MutedChanged(on);
        propertyChanged("Muted", on);
    });
    connect(&reporter_, &StateReporter::sceneChanged, this, [this](const QString& name) {
        emit SceneChanged(name);
        propertyChanged("Scene", name);
    });
    connect(&reporter_, &StateReporter::adviceChanged, this, &RemoteControl::AdviceChanged);
    connect(&reporter_, &StateReporter::levels, this, &RemoteControl::sendLevels);
    connect(&app_.mixer(), &MixerModel::focusChanged, this, &RemoteControl::followMonitors);
    connect(&app_.mixer(), &MixerModel::stripsChanged, this, &RemoteControl::followMonitors);
    followMonitors();
}

/// The property is that of the selected strip.
void RemoteControl::followMonitors() {
    const auto tell = [this] {
        if (const QString now = monitor(); std::exchange(told_monitor_, now) != now)
            propertyChanged("Monitor", now);
    };
    for (StripModel* strip : app_.mixer().strips()) {
        disconnect(&strip->monitoring(), nullptr, this, nullptr);
        connect(&strip->monitoring(), &MonitorController::changed, this, tell);
    }
    tell();
}

void RemoteControl::propertyChanged(const char* name, const QVariant& value) {
    if (bus_name_.isEmpty()) return;
    QDBusMessage signal =
        QDBusMessage::createSignal(kServicePath, "org.freedesktop.DBus.Properties", "PropertiesChanged");
    signal << kControlInterface << QVariantMap{{name, value}} << QStringList();
    (void)QDBusConnection(bus_name_).send(signal);
}

QList<StripAdvice> RemoteControl::Advice() {
    return reporter_.advice();
}

void RemoteControl::SubscribeLevels(bool wanted) {
    if (!calledFromDBus()) return;
    const QString who = message().service();
    subscribers_.removeWatchedService(who);
    if (wanted) subscribers_.addWatchedService(who);
    // It may have gone before it was watched.
    if (wanted && !connection().interface()->isServiceRegistered(who)) subscribers_.removeWatchedService(who);
    followSubscribers();
}

void RemoteControl::followSubscribers() {
    reporter_.wantLevels(this, !subscribers_.watchedServices().isEmpty());
}

void RemoteControl::sendLevels(const QList<StripLevelReading>& strips, const OutputLoudness& output) {
    const QDBusConnection bus(bus_name_);
    for (const QString& who : subscribers_.watchedServices()) {
        QDBusMessage signal =
            QDBusMessage::createTargetedSignal(who, kServicePath, kControlInterface, "LevelsChanged");
        signal << QVariant::fromValue(strips) << output.momentary << output.short_term;
        (void)bus.send(signal);
    }
}

RemoteControl::~RemoteControl() {
    reporter_.wantLevels(this, false);
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
        subscribers_.setConnection(bus);
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
    subscribers_.setWatchedServices({});
    followSubscribers();
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
    return actionLines();
}

bool RemoteControl::muted() const {
    return reporter_.muted();
}

QString RemoteControl::scene() const {
    return reporter_.scene();
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

QStringList actionLines() {
    QStringList out;
    for (const Action& a : action_table())
        out << usage(a) + ": " + QObject::tr(a.title).replace("%1", QObject::tr("by name or position"));
    return out;
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
