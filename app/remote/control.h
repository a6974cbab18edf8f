// Dusky Reed's own D-Bus interface: what keys, scripts and other programs can do with it.
#pragma once

#include <QDBusConnection>
#include <QDBusContext>
#include <QDBusServiceWatcher>
#include <QObject>
#include <QStringList>
#include <QTimer>

namespace reed::ui {

class Actions;
class AppModel;

inline constexpr const char* kServiceName = "org.duskyreed.DuskyReed";
inline constexpr const char* kServicePath = "/org/duskyreed/DuskyReed";
inline constexpr const char* kControlInterface = "org.duskyreed.Control";

/// Exported at kServicePath. Calls that can't be done answer with the error org.duskyreed.Error.Refused and
/// plain words. Described in docs/remote.md; the bus can introspect it.
class RemoteControl final : public QObject, protected QDBusContext {
    Q_OBJECT
    Q_CLASSINFO("D-Bus Interface", "org.duskyreed.Control")
    Q_PROPERTY(bool Muted READ muted WRITE Mute)
    Q_PROPERTY(QString Scene READ scene)
    Q_PROPERTY(QString Monitor READ monitor)

  public:
    explicit RemoteControl(Actions& actions, QObject* parent = nullptr);
    ~RemoteControl() override;

    enum class Outcome { registered, already_running, no_bus };
    /// Takes the service name on `bus`. already_running: another program has it.
    Outcome publish(QDBusConnection bus);

    bool muted() const;
    QString scene() const;
    QString monitor() const;

  public slots:  // NOLINT(readability-redundant-access-specifiers): of another kind to Qt
    Q_SCRIPTABLE void Mute(bool muted);
    Q_SCRIPTABLE void ToggleMute();
    /// The talk key goes down (true) or up; it comes up as well when the caller leaves the bus.
    Q_SCRIPTABLE void Talk(bool held);
    Q_SCRIPTABLE QStringList Scenes();
    Q_SCRIPTABLE void RecallScene(const QString& name);
    /// Ids of the stages in their order.
    Q_SCRIPTABLE QStringList Stages();
    Q_SCRIPTABLE void Bypass(const QString& stage, bool bypassed);
    Q_SCRIPTABLE void ToggleBypass(const QString& stage);
    /// "off", "feed", "plain" or "removed".
    Q_SCRIPTABLE void SetMonitor(const QString& source);
    Q_SCRIPTABLE void Raise();
    /// Every action of the table, "id ARGUMENT: what it does".
    Q_SCRIPTABLE QStringList ListActions();
    /// Does one by its id; `argument` is empty where it takes none.
    Q_SCRIPTABLE void Do(const QString& action, const QString& argument);

  private slots:
    /// The bus has ended the connection (for a message it found too long, say): another one is made.
    void reconnect();

  signals:
    Q_SCRIPTABLE void MutedChanged(bool muted);
    Q_SCRIPTABLE void SceneChanged(const QString& name);

  private:
    void talkerLeft(const QString& who);
    Actions& actions_;
    AppModel& app_;
    QString told_scene_;
    QString bus_name_;
    QDBusServiceWatcher talkers_;  // who holds the talk key
    int connections_ = 0;
    QTimer try_again_;
};

/// Sends one action of the table to the running program, as `dusky-reed --send`: its id, then its argument.
/// Empty when done, else why not.
QString sendCommand(const QDBusConnection& bus, const QStringList& words);

}  // namespace reed::ui
