// The program from outside: D-Bus, --send, the desktop's own keys, a second start.
#include <sys/socket.h>
#include <sys/un.h>

#include <QDBusInterface>
#include <QDBusMetaType>
#include <QDBusReply>
#include <QDBusVirtualObject>
#include <QRegularExpression>
#include <catch2/catch.hpp>
#include <limits>
#include <set>

#include "actions/actions.h"
#include "base/file.h"
#include "model/shared/global_keys.h"
#include "onair/remote.h"
#include "remote/global_shortcuts.h"

using namespace reed;
using namespace reed::test;

/// A stand-in for the desktop's portal: answers as its documentation says.
class Portal final : public QDBusVirtualObject {
    Q_OBJECT
  public:
    QStringList bound;
    uint answer = 0;  // of the desktop: 1 is the user's refusal
    QDBusObjectPath session;

    QString introspect(const QString&) const override { return {}; }
    bool handleMessage(const QDBusMessage& m, const QDBusConnection& connection) override {
        QDBusConnection bus = connection;
        const QVariantList arguments = m.arguments();
        if (m.member() == "Get") {
            bus.send(m.createReply(QVariant::fromValue(QDBusVariant(1u))));
            return true;
        }
        QVariantMap results;
        QVariantMap options;
        arguments.last().value<QDBusArgument>() >> options;
        if (m.member() == "CreateSession") {
            session = QDBusObjectPath("/org/freedesktop/portal/desktop/session/test/" +
                                      options["session_handle_token"].toString());
            results["session_handle"] = session.path();
        } else if (m.member() == "BindShortcuts" && m.signature() == "oa(sa{sv})sa{sv}") {
            const auto list = arguments[1].value<QDBusArgument>();
            list.beginArray();
            while (!list.atEnd()) {
                QString id;
                QVariantMap words;
                list.beginStructure();
                list >> id >> words;
                list.endStructure();
                bound << id + ": " + words["description"].toString();
            }
            list.endArray();
        } else {
            return false;
        }
        QString sender = m.service().mid(1);
        sender.replace('.', '_');
        const QString path =
            "/org/freedesktop/portal/desktop/request/" + sender + "/" + options["handle_token"].toString();
        bus.send(m.createReply(QVariant::fromValue(QDBusObjectPath(path))));
        QDBusMessage response =
            QDBusMessage::createSignal(path, "org.freedesktop.portal.Request", "Response");
        response << answer << results;
        bus.send(response);
        return true;
    }
    void press(QDBusConnection bus, const char* what, const QString& id) const {
        QDBusMessage signal = QDBusMessage::createSignal("/org/freedesktop/portal/desktop",
                                                         "org.freedesktop.portal.GlobalShortcuts", what);
        signal << QVariant::fromValue(session) << id << qulonglong{0} << QVariantMap{};
        bus.send(signal);
    }
};

/// The portal on the bus. It is another program: it has a thread of its own, so that it can answer while the
/// window waits.
struct Desktop {
    explicit Desktop(Portal& portal) {
        portal.moveToThread(&elsewhere);
        elsewhere.start();
        REQUIRE(bus.registerService("org.freedesktop.portal.Desktop"));
        REQUIRE(bus.registerVirtualObject("/org/freedesktop/portal/desktop", &portal));
    }
    struct Elsewhere : QThread {
        ~Elsewhere() override {
            quit();
            wait();
        }
    } elsewhere;
    QDBusConnection bus = QDBusConnection::connectToBus(QDBusConnection::SessionBus, "desk");
};

TEST_CASE("other programs mute, recall scenes and bypass stages, and are told when it can't be done",
          "[onair]") {
    TemporaryFolder folder;
    Remote w(folder);
    CHECK(send({"mute"}) == "");
    CHECK(w.app.mute().on());
    CHECK(send({"unmute"}) == "");
    CHECK_FALSE(w.app.mute().on());
    CHECK(send({"toggle-mute"}) == "");
    CHECK(w.app.mute().on());
    CHECK(send({"scene", "Evening", "quiet"}) == "");
    CHECK(w.strip().chainModel().scene().name == "Evening quiet");
    CHECK(send({"scene", "2"}) == "");
    CHECK(w.strip().chainModel().scene().name == "Bench talk");
    CHECK(send({"bypass", "gate"}) == "");
    CHECK(w.strip().chainModel().stage("gate")->bypass);
    CHECK(send({"toggle", "gate"}) == "");
    CHECK_FALSE(w.strip().chainModel().stage("gate")->bypass);
    CHECK_THAT(send({"scene", "Nowhere"}).toStdString(),
               Catch::Contains("No scene named “Nowhere”") && Catch::Contains("Bench talk"));
    CHECK_THAT(send({"bypass", "gong"}).toStdString(),
               Catch::Contains("No stage named “gong”") && Catch::Contains("gate"));
    CHECK_THAT(send({"dance"}).toStdString(),
               Catch::Contains("Unknown command") && Catch::Contains("toggle-mute"));
    CHECK_THAT(send({"monitor", "everything"}).toStdString(), Catch::Contains("Unknown source"));
    // No PipeWire here: said, not hung.
    CHECK_THAT(send({"monitor", "feed"}).toStdString(), Catch::Contains("no playback device"));
    CHECK(send({"set", "gate", "hold", "0.12", "s"}) == "");
    CHECK(w.value("gate", "hold") == 120.0);
    CHECK(send({"step", "gate", "open_threshold", "-2"}) == "");
    CHECK(send({"undo"}) == "");
    CHECK(send({"theme", "dawn"}) == "");
    CHECK(w.app.preferences().theme() == "dawn");
    CHECK_THAT(send({"undo", "everything"}).toStdString(), Catch::Contains("Unknown command"));
    w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    CHECK(w.app.mute().on());
    CHECK(send({"talk", "on"}) == "");
    CHECK_FALSE(w.app.mute().on());
    CHECK(send({"talk", "off"}) == "");
    CHECK(w.app.mute().on());
}

TEST_CASE("a text of 64 MB from another program leaves it within reach", "[onair]") {
    TemporaryFolder folder;
    Remote w(folder);
    CHECK(send({"mute"}) == "");
    const QString huge(64'000'000, 'x');
    CHECK_FALSE(send({"scene", huge}).size() > 1000);
    CHECK(Window::until([&] { return send({"unmute"}).isEmpty(); }));
    CHECK_FALSE(w.app.mute().on());
}

TEST_CASE("put off the bus, it comes back by itself", "[onair]") {
    TemporaryFolder folder;
    Window w(folder);
    const auto sockets = [] {
        std::set<int> out;
        for (int fd = 3; fd < 1024; ++fd) {
            sockaddr_un peer{};
            socklen_t size = sizeof peer;
            if (::getpeername(fd, reinterpret_cast<sockaddr*>(&peer), &size) == 0) out.insert(fd);
        }
        return out;
    };
    const auto before = sockets();
    ui::StateReporter reporter(w.app);
    ui::RemoteControl control(w.window.actions(), reporter);
    REQUIRE(control.publish(QDBusConnection::connectToBus(QDBusConnection::SessionBus, "victim")) ==
            ui::RemoteControl::Outcome::registered);
    std::vector<int> ours;
    for (const int fd : sockets()) {
        if (!before.contains(fd)) ours.push_back(fd);
    }
    REQUIRE(ours.size() == 1);
    CHECK(send({"mute"}) == "");
    CHECK(w.app.mute().on());
    REQUIRE(::shutdown(ours[0], SHUT_RDWR) == 0);
    CHECK(Window::until([&] { return send({"unmute"}).isEmpty(); }));
    CHECK_FALSE(w.app.mute().on());
}

TEST_CASE("the interface can be introspected, tells changes, and a second program finds the first",
          "[onair]") {
    TemporaryFolder folder;
    Remote w(folder);
    QString xml;
    QStringList told;
    std::atomic<bool> done{false};
    std::thread other([&] {
        {
            QDBusConnection bus = QDBusConnection::connectToBus(QDBusConnection::SessionBus, "look");
            const QDBusMessage answer = bus.call(QDBusMessage::createMethodCall(
                ui::kServiceName, ui::kServicePath, "org.freedesktop.DBus.Introspectable", "Introspect"));
            xml = answer.arguments().value(0).toString();
        }
        QDBusConnection::disconnectFromBus("look");
        done = true;
    });
    REQUIRE(Window::until([&] { return done.load(); }));
    other.join();
    for (const char* word :
         {"ToggleMute", "RecallScene", "SetMonitor", "Bypass", "MutedChanged", "\"Muted\""}) {
        INFO(word);
        CHECK(xml.contains(word));
    }
    int raised = 0;
    QObject::connect(&w.window.actions(), &ui::Actions::raiseRequested, [&] { ++raised; });
    CHECK(send({"raise"}) == "");
    CHECK(raised == 1);
    // The name is taken as long as the first runs.
    QDBusConnection second = QDBusConnection::connectToBus(QDBusConnection::SessionBus, "second");
    ui::RemoteControl again(w.window.actions(), w.reporter);
    CHECK(again.publish(second) == ui::RemoteControl::Outcome::already_running);
    QDBusConnection::disconnectFromBus("second");
}

TEST_CASE("without the program or a bus, --send says so", "[onair]") {
    CHECK(ui::sendCommand(QDBusConnection::sessionBus(), {"mute"}) == "Dusky Reed is not running.");
    CHECK_THAT(ui::sendCommand(QDBusConnection("nowhere"), {"mute"}).toStdString(),
               Catch::Contains("No D-Bus session bus"));
}

TEST_CASE("keys that work in every window are bound through the desktop's portal", "[onair]") {
    TemporaryFolder folder;
    Window w(folder);
    ui::PortalShortcuts keys(w.window.actions(), QDBusConnection::sessionBus());
    QString failed;
    QObject::connect(&keys, &ui::PortalShortcuts::failed, [&](const QString& why) { failed = why; });
    keys.bind();  // no portal yet
    CHECK(failed.contains("dusky-reed --send toggle-mute"));

    Portal portal;
    Desktop desktop(portal);
    QDBusConnection& desk = desktop.bus;
    failed.clear();
    keys.bind();
    CHECK(Window::until([&] { return keys.isBound() || !failed.isEmpty(); }));
    CHECK(failed == "");
    // What is of use while another window has the keyboard, and of what has a number only what there is.
    CHECK(portal.bound[0].startsWith("talk: "));
    CHECK(portal.bound.contains("scene-2: Scene 2: Bench talk"));
    const auto named = [&](const QString& start) {
        return portal.bound.filter(QRegularExpression("^" + start)).size();
    };
    CHECK(named("scene-") == static_cast<int>(w.app.scenes().scenes().size()));
    CHECK(named("toggle-[0-9]") == static_cast<int>(w.strip().chainModel().chain().stages.size()));
    CHECK(named("(undo|keys|focus)") == 0);

    w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    portal.press(desk, "Activated", "talk");
    REQUIRE(Window::until([&] { return !w.app.mute().on(); }));
    portal.press(desk, "Deactivated", "talk");
    REQUIRE(Window::until([&] { return w.app.mute().on(); }));
    portal.press(desk, "Activated", "scene-3");
    REQUIRE(Window::until([&] { return w.strip().chainModel().scene().name == "Evening quiet"; }));
    portal.press(desk, "Activated", "toggle-1");
    REQUIRE(Window::until([&] { return w.strip().chainModel().chain().stages[0].bypass; }));
    // The portal ends while the talk key is held: the microphone is closed, and its window says so.
    portal.press(desk, "Activated", "talk");
    REQUIRE(Window::until([&] { return !w.app.mute().on(); }));
    desk.unregisterObject("/org/freedesktop/portal/desktop");
    REQUIRE(desk.unregisterService("org.freedesktop.portal.Desktop"));
    REQUIRE(Window::until([&] { return w.app.mute().on(); }));
    CHECK(w.window.windowTitle().startsWith("Muted"));
    CHECK_FALSE(keys.isBound());
    // When it is back, the keys are bound again.
    portal.bound.clear();
    REQUIRE(desk.registerVirtualObject("/org/freedesktop/portal/desktop", &portal));
    REQUIRE(desk.registerService("org.freedesktop.portal.Desktop"));
    REQUIRE(Window::until([&] { return keys.isBound(); }));
    portal.press(desk, "Activated", "talk");
    REQUIRE(Window::until([&] { return !w.app.mute().on(); }));
    // Or it closes the session.
    QDBusMessage closed =
        QDBusMessage::createSignal(portal.session.path(), "org.freedesktop.portal.Session", "Closed");
    closed << QVariantMap{};
    desk.send(closed);
    REQUIRE(Window::until([&] { return w.app.mute().on(); }));
    CHECK(failed.contains("closed the global shortcuts"));
    // Held to mute, losing the holder never opens the microphone.
    w.app.preferences().setTalkKey(ui::Preferences::TalkKey::mutes);
    failed.clear();
    keys.bind();
    REQUIRE(Window::until([&] { return keys.isBound(); }));
    w.app.mute().set(false);
    portal.press(desk, "Activated", "talk");
    REQUIRE(Window::until([&] { return w.app.mute().on(); }));
    desk.send(closed);
    REQUIRE(Window::until([&] { return failed.contains("closed the global shortcuts"); }));
    CHECK(w.app.mute().on());
    QDBusConnection::disconnectFromBus("desk");
}

TEST_CASE("shortcuts that were set up with the desktop once are bound at every start", "[onair]") {
    TemporaryFolder folder;
    Portal portal;
    {
        Desktop desktop(portal);
        Window w(folder);
        ui::GlobalShortcuts keys(w.window.actions(), QDBusConnection::sessionBus(), {});
        keys.start();
        ui::GlobalKeys& wishes = w.app.preferences().globalKeys();
        REQUIRE(Window::until([&] { return wishes.provider() == ui::GlobalKeys::Provider::desktop; }));
        CHECK(portal.bound.isEmpty());  // not before the menu was used
        keys.setUp();
        REQUIRE(Window::until([&] { return wishes.wantsDesktop(); }));
        CHECK_FALSE(portal.bound.isEmpty());
    }
    QDBusConnection::disconnectFromBus("desk");
    portal.bound.clear();
    Portal second;
    Desktop desktop(second);
    Window w(folder);
    ui::GlobalShortcuts keys(w.window.actions(), QDBusConnection::sessionBus(), {});
    keys.start();
    REQUIRE(Window::until([&] { return !second.bound.isEmpty(); }));
    second.press(desktop.bus, "Activated", "toggle-1");
    REQUIRE(Window::until([&] { return w.strip().chainModel().chain().stages[0].bypass; }));
    // After a refusal the desktop is not asked at every start.
    second.answer = 1;
    keys.setUp();
    REQUIRE(Window::until([&] { return !w.app.preferences().globalKeys().wantsDesktop(); }));
    QDBusConnection::disconnectFromBus("desk");
}

TEST_CASE("a program that leaves the bus while it holds the talk key lets it go", "[onair]") {
    TemporaryFolder folder;
    Remote w(folder);
    w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    REQUIRE(w.app.mute().on());
    const auto hold = [](const QString& name) {
        QDBusConnection bus = QDBusConnection::connectToBus(QDBusConnection::SessionBus, name);
        QDBusMessage call =
            QDBusMessage::createMethodCall(ui::kServiceName, ui::kServicePath, ui::kControlInterface, "Talk");
        call << true;
        CHECK(bus.call(call, QDBus::BlockWithGui).type() == QDBusMessage::ReplyMessage);
    };
    hold("first");
    hold("second");
    CHECK_FALSE(w.app.mute().on());
    // One of two goes: the other still holds it.
    QDBusConnection::disconnectFromBus("first");
    CHECK(send({"strip", "1"}) == "");  // its leaving has been told by then
    CHECK_FALSE(w.app.mute().on());
    QDBusConnection::disconnectFromBus("second");
    REQUIRE(Window::until([&] { return w.app.mute().on(); }));
    CHECK_THAT(w.told(), Catch::Contains("held the talk shortcut has quit"));
    // What --send does is no holding: its program always ends at once.
    CHECK(send({"talk", "on"}) == "");
    CHECK(send({"strip", "1"}) == "");
    CHECK_FALSE(w.app.mute().on());
}

TEST_CASE("numbers that are none are refused, from whatever program", "[onair]") {
    TemporaryFolder folder;
    Remote w(folder);
    w.strip().chainModel().setFader(-3.0);
    for (const char* bad : {"nan", "inf", "-inf", "NaN dB", "1e999"}) {
        INFO(bad);
        CHECK_FALSE(send({"fader", "1", bad}).isEmpty());
        CHECK_FALSE(send({"step-fader", "1", bad}).isEmpty());
        CHECK_FALSE(send({"set", "gain", "gain", bad}).isEmpty());
        CHECK_FALSE(send({"step", "gain", "gain", bad}).isEmpty());
    }
    CHECK(w.strip().chainModel().spec().fader == -3.0);
    w.strip().chainModel().setFader(std::numeric_limits<double>::quiet_NaN());
    CHECK(w.strip().chainModel().spec().fader == -3.0);
    CHECK(w.feed_level(0.1) < 0.0);
}

TEST_CASE("a save is answered when it stands on the disk, or with why it can't", "[onair]") {
    TemporaryFolder folder;
    Remote w(folder);
    const std::string file = folder.path("scenes/bench-talk.json");
    w.app.scenes().recall("Bench talk");
    for (const double gain : {1.5, 2.5, 3.5}) {
        REQUIRE(w.strip().chainModel().setValue("gain", 0, gain));
        CHECK(send({"save"}) == "");
        // Nothing is waited for: a kill at this moment must not lose it.
        CHECK(load_scene(file).scene->chain().stages[0].value("gain") == gain);
    }
    std::filesystem::remove_all(folder.path("scenes"));
    REQUIRE(write_file(folder.path("scenes"), "in the way").ok());
    REQUIRE(w.strip().chainModel().setValue("gain", 0, 4.5));
    CHECK_FALSE(send({"save"}).isEmpty());
}

#include "remote_test.moc"
