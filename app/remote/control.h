// The D-Bus interface of Dusky Reed.
#pragma once

#include <QDBusConnection>
#include <QDBusContext>
#include <QDBusServiceWatcher>
#include <QObject>
#include <QStringList>
#include <QTimer>

#include "control_introspection.h"
#include "remote/state_reporter.h"

namespace reed::ui {

class Actions;
class AppModel;

inline constexpr const char* kServiceName = "org.duskyreed.DuskyReed";
inline constexpr const char* kServicePath = "/org/duskyreed/DuskyReed";
inline constexpr const char* kControlInterface = "org.duskyreed.Control";

/// Exported at kServicePath. Requests that can't be done return the error org.duskyreed.Error.Refused with
/// the reason. Described in docs/remote.md and in org.duskyreed.Control.xml, which the bus returns for
/// introspection.
class RemoteControl final : public QObject, protected QDBusContext {
    Q_OBJECT
    Q_CLASSINFO("D-Bus Interface", "org.duskyreed.Control")
    Q_CLASSINFO("D-Bus Introspection", REED_CONTROL_INTROSPECTION)
    Q_PROPERTY(bool Muted READ muted WRITE Mute)
    Q_PROPERTY(QString Scene READ scene)
    Q_PROPERTY(QString Monitor READ monitor)

  public:
    /// `reporter` lives longer.
    RemoteControl(Actions& actions, StateReporter& reporter, QObject* parent = nullptr);
    ~RemoteControl() override;

    enum class Outcome { registered, already_running, no_bus };
    /// Registers the service name on `bus`. already_running: another process has it.
    Outcome publish(QDBusConnection bus);

    bool muted() const;
    QString scene() const;
    QString monitor() const;

  public slots:  // NOLINT(readability-redundant-access-specifiers): of another kind to Qt
    Q_SCRIPTABLE void Mute(bool muted);
    Q_SCRIPTABLE void ToggleMute();
    /// Presses (true) or releases the talk shortcut. It is released when the caller leaves the bus.
    Q_SCRIPTABLE void Talk(bool held);
    Q_SCRIPTABLE QStringList Scenes();
    Q_SCRIPTABLE void RecallScene(const QString& name);
    /// Ids of the stages in the order of the signal.
    Q_SCRIPTABLE QStringList Stages();
    Q_SCRIPTABLE void Bypass(const QString& stage, bool bypassed);
    Q_SCRIPTABLE void ToggleBypass(const QString& stage);
    /// "off", "feed", "plain" or "removed".
    Q_SCRIPTABLE void SetMonitor(const QString& source);
    Q_SCRIPTABLE void Raise();
    /// All actions of the table, as "id ARGUMENT: effect".
    Q_SCRIPTABLE QStringList ListActions();
    /// Runs an action by id; `argument` is empty if it takes none.
    Q_SCRIPTABLE void Do(const QString& action, const QString& argument);
    /// The problems that the window shows now, by strip.
    Q_SCRIPTABLE QList<reed::ui::StripAdvice> Advice();
    /// Sends the caller LevelsChanged ten times a second, until it unsubscribes or leaves the bus.
    Q_SCRIPTABLE void SubscribeLevels(bool wanted);

  private slots:
    /// Connects again after the bus has closed the connection (for example because of a message that is too
    /// long).
    void reconnect();

  signals:
    Q_SCRIPTABLE void MutedChanged(bool muted);
    Q_SCRIPTABLE void SceneChanged(const QString& name);
    Q_SCRIPTABLE void AdviceChanged(const QList<reed::ui::StripAdvice>& advice);

  private:
    void talkerLeft(const QString& who);
    void followMonitors();
    void propertyChanged(const char* name, const QVariant& value);
    void sendLevels(const QList<StripLevelReading>& strips, const OutputLoudness& output);
    /// Sends levels to the callers that are left.
    void followSubscribers();
    Actions& actions_;
    AppModel& app_;
    StateReporter& reporter_;
    QString told_monitor_;
    QString bus_name_;
    QDBusServiceWatcher subscribers_;
    QDBusServiceWatcher talkers_;  // callers that hold the talk shortcut
    int connections_ = 0;
    QTimer try_again_;
};

/// All actions with their arguments and what they do: "mute-strip STRIP: Mute a strip".
QStringList actionLines();

/// Sends an action (id, then its argument) to the running program, as `dusky-reed --send` does. Returns an
/// empty text, or the reason why it was not done.
QString sendCommand(const QDBusConnection& bus, const QStringList& words);

}  // namespace reed::ui
