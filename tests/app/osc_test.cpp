// Open Sound Control: packets as the specification has them, and the window run by another program's library.
#include <lo/lo.h>
#include <lo/lo_lowlevel.h>

#include <QLineEdit>
#include <QUdpSocket>
#include <QtEndian>
#include <cstring>
#include <limits>

#include "actions/actions.h"
#include "app/window.h"
#include "deck/osc_dialog.h"
#include "remote/osc_remote.h"
#include "widgets/words.h"

using namespace reed;
using namespace reed::test;

namespace {

QByteArray bytes(std::string_view hex) {
    return QByteArray::fromHex(QByteArray(hex.data(), static_cast<qsizetype>(hex.size())));
}

/// A bundle of packets (Open Sound Control 1.0, "OSC Bundles").
QByteArray bundle(quint64 tag, const std::vector<QByteArray>& elements) {
    const auto number = [](auto value) {
        QByteArray out(sizeof value, '\0');
        qToBigEndian(value, out.data());
        return out;
    };
    QByteArray out = QByteArray("#bundle", 8) + number(tag);
    for (const QByteArray& e : elements) out += number(static_cast<quint32>(e.size())) + e;
    return out;
}

std::string problem(const QByteArray& packet) {
    const auto read = ui::readOscPacket(packet, 0.0);
    return read.ok() ? "" : read.error().what;
}

std::string request(const char* address, const QStringList& arguments = {}) {
    const ui::OscRequest r = ui::oscRequest({address, arguments});
    if (!r.why.isEmpty()) return "refused";
    return r.nothing ? "nothing" : (r.action + (r.argument.isEmpty() ? "" : " ") + r.argument).toStdString();
}

int freePort() {
    QUdpSocket socket;
    REQUIRE(socket.bind(QHostAddress::LocalHost, 0));
    return socket.localPort();
}

/// The window with Open Sound Control, and a tablet that uses a library of its own.
struct WithOsc : Window {
    ui::StateReporter reporter{app};
    ui::OscRemote remote;
    int port = freePort();
    // The tablet: its server has the port from which it sends.
    lo_server tablet = lo_server_new(nullptr, nullptr);
    std::vector<std::pair<std::string, std::vector<std::string>>> heard;

    explicit WithOsc(TemporaryFolder& f, int subscribed = ui::OscRemote::kSubscribed)
        : Window(f), remote(window.actions(), reporter, subscribed) {
        remote.start();
        lo_server_add_method(
            tablet, nullptr, nullptr,
            [](const char* path, const char* types, lo_arg** a, int n, lo_message, void* user) {
                std::vector<std::string> arguments;
                for (int i = 0; i < n; ++i) {
                    // Aligned to 4 bytes only, as in the packet.
                    const void* at = a[i];
                    std::int32_t number = 0;
                    float level = 0.0F;
                    std::memcpy(types[i] == 'f' ? static_cast<void*>(&level) : &number, at,
                                types[i] == 's' ? 0 : 4);
                    if (types[i] == 's') arguments.emplace_back(static_cast<const char*>(at));
                    if (types[i] == 'i') arguments.push_back(std::to_string(number));
                    if (types[i] == 'f') arguments.push_back(std::to_string(level));
                }
                static_cast<WithOsc*>(user)->heard.emplace_back(path, arguments);
                return 0;
            },
            this);
    }
    ~WithOsc() { lo_server_free(tablet); }
    void turnOn() { app.preferences().osc().set({true, "127.0.0.1", port}); }
    void send(const char* path, lo_message message, const char* host = "127.0.0.1") const {
        const lo_address to = lo_address_new(host, std::to_string(port).c_str());
        REQUIRE(lo_send_message_from(to, tablet, path, message) > 0);
        lo_address_free(to);
        lo_message_free(message);
    }
    void send(const char* path) const { send(path, lo_message_new()); }
    void send(const char* path, float value) const {
        const lo_message m = lo_message_new();
        lo_message_add_float(m, value);
        send(path, m);
    }
    void send(const char* path, const char* text) const {
        const lo_message m = lo_message_new();
        lo_message_add_string(m, text);
        send(path, m);
    }
    void sendBytes(const QByteArray& packet) const {
        QUdpSocket socket;
        REQUIRE(socket.writeDatagram(packet, QHostAddress::LocalHost, static_cast<quint16>(port)) ==
                packet.size());
    }
    bool muted() const { return app.mute().on(); }
    /// Everything sent before has been read when this has had its effect.
    bool settled() {
        const bool was = muted();
        send("/toggle-mute");
        return until([&] { return muted() != was; });
    }
    std::string refused() { return app.preferences().osc().refused().toStdString(); }
    /// Arguments of the last message that the tablet got at `path`.
    std::vector<std::string> last(const std::string& path) {
        while (lo_server_recv_noblock(tablet, 0) > 0) {
        }
        for (auto h = heard.rbegin(); h != heard.rend(); ++h) {
            if (h->first == path) return h->second;
        }
        return {};
    }
};

}  // namespace

TEST_CASE("packets of Open Sound Control are read as the specification writes them", "[osc]") {
    // Open Sound Control 1.0, "Examples".
    const auto frequency =
        ui::readOscPacket(bytes("2f6f7363696c6c61746f722f342f6672657175656e6379002c66000043dc0000"), 0.0);
    REQUIRE(frequency.ok());
    REQUIRE(frequency.value().size() == 1);
    CHECK(frequency.value()[0].address == "/oscillator/4/frequency");
    CHECK(frequency.value()[0].arguments == QStringList{"440"});
    const QByteArray foo =
        bytes("2f666f6f000000002c69697366660000000003e8ffffffff68656c6c6f0000003f9df3b640b5b22d");
    const auto five = ui::readOscPacket(foo, 0.0);
    REQUIRE(five.ok());
    CHECK(five.value()[0].address == "/foo");
    REQUIRE(five.value()[0].arguments.size() == 5);
    CHECK(five.value()[0].arguments.mid(0, 3) == QStringList{"1000", "-1", "hello"});
    CHECK(five.value()[0].arguments[3].toDouble() == Approx(1.234));
    CHECK(five.value()[0].arguments[4].toDouble() == Approx(5.678));
    // Our own packets are these.
    CHECK(ui::oscPacket("/oscillator/4/frequency", {440.0}) ==
          bytes("2f6f7363696c6c61746f722f342f6672657175656e6379002c66000043dc0000"));
    CHECK(ui::oscPacket("/foo", {1000, -1, QString("hello"), 1.234, 5.678}) == foo);
}

TEST_CASE("bundles have their messages in order and their time, and damaged packets none", "[osc]") {
    const QByteArray mute = ui::oscPacket("/mute", {}), gain = ui::oscPacket("/fader/voice", {-3.0});
    const auto both = ui::readOscPacket(bundle(1, {mute, bundle(1, {gain}), mute}), 100.0);
    REQUIRE(both.ok());
    REQUIRE(both.value().size() == 3);
    CHECK(both.value()[1].address == "/fader/voice");
    CHECK(both.value()[1].wait == 0);
    // 100.5 s, half of a second from now; one that has passed is run now.
    const auto later = ui::readOscPacket(bundle((quint64{100} << 32) + (quint64{1} << 31), {mute}), 100.0);
    REQUIRE(later.ok());
    CHECK(later.value()[0].wait == 500);
    const auto passed = ui::readOscPacket(bundle(quint64{99} << 32, {mute}), 100.0);
    REQUIRE(passed.ok());
    CHECK(passed.value()[0].wait == 0);

    CHECK(problem({}) != "");
    CHECK(problem("/mute") != "");                                      // no multiple of 4
    CHECK(problem(QByteArray("mute\0\0\0\0,\0\0\0", 12)) != "");        // no address
    CHECK(problem(QByteArray("/mute\0\0\0,i\0\0", 12)) != "");          // an argument is missing
    CHECK(problem(QByteArray("/mute\0\0\0,b\0\0\0\0\0\0", 16)) != "");  // of a type that no action takes
    CHECK(problem(QByteArray("#bundle\0", 8)) != "");
    CHECK(problem(bundle(1, {mute}).chopped(4)) != "");
    CHECK(problem(bundle(1, {mute, QByteArray("/mute", 5)})) != "");
    CHECK(problem(bundle(quint64{100} << 32, {mute})) != "");  // more than a minute ahead
    QByteArray deep = mute;
    for (int i = 0; i < 20; ++i) deep = bundle(1, {deep});
    CHECK(problem(deep) != "");
}

TEST_CASE("the address of a message is an action with the beginning of its argument", "[osc]") {
    CHECK(request("/toggle-mute") == "toggle-mute");
    CHECK(request("/toggle-mute", {"1"}) == "toggle-mute");
    CHECK(request("/toggle-mute", {"0"}) == "nothing");
    CHECK(request("/scene", {"Evening quiet"}) == "scene Evening quiet");
    CHECK(request("/scene", {"3"}) == "scene 3");
    CHECK(request("/scene/3") == "scene 3");
    CHECK(request("/scene/3", {"1"}) == "scene 3");
    CHECK(request("/scene/3", {"0"}) == "nothing");
    CHECK(request("/talk", {"1"}) == "talk on");
    CHECK(request("/talk", {"0"}) == "talk off");
    CHECK(request("/talk", {"on"}) == "talk on");
    CHECK(request("/hold-character/Robot", {"1"}) == "hold-character Robot on");
    CHECK(request("/hold-character", {"Robot", "0"}) == "hold-character Robot off");
    CHECK(request("/fader/guest", {"-3"}) == "fader guest -3");
    CHECK(request("/fader", {"guest", "-3"}) == "fader guest -3");
    CHECK(request("/set-value/gate/hold", {"120"}) == "set-value gate hold 120");
    CHECK(request("/set-value/guest/gate/hold", {"120"}) == "set-value guest/gate hold 120");
    CHECK(request("/set-position/voice/strip/fader", {"0.5"}) == "set-position voice/strip fader 0.5");
    // No patterns: an action is named.
    for (const char* bad : {"/", "//", "/*", "/mut?", "/{mute,unmute}", "mute", "", "/nothing/at/all"}) {
        INFO(bad);
        CHECK(request(bad) == "refused");
    }
}

TEST_CASE("Open Sound Control is off at first, and its window turns it on", "[app][osc]") {
    TemporaryFolder folder;
    {
        WithOsc w(folder);
        w.app.preferences().osc().set({false, "127.0.0.1", w.port});
        QTest::mouseClick(w.find<ui::FlatButton>("main_menu"), Qt::LeftButton);
        REQUIRE(w.choose("main_popup", "Open Sound Control"));
        auto* dialog = w.find<ui::OscDialog>("osc_dialog");
        REQUIRE(dialog != nullptr);
        const auto state = [&] { return w.find<ui::Words>("osc_state")->text().toStdString(); };
        CHECK(state() == "Off. Nothing listens.");
        {
            QUdpSocket free;
            CHECK(free.bind(QHostAddress::LocalHost, static_cast<quint16>(w.port),
                            QUdpSocket::DontShareAddress));
        }
        auto* on = w.find<ui::FlatButton>("osc_on");
        QTest::mouseClick(on, Qt::LeftButton);
        CHECK(state() == QString("Listening on 127.0.0.1, port %1.").arg(w.port).toStdString());
        REQUIRE_FALSE(w.muted());
        w.send("/mute");
        REQUIRE(Window::until([&] { return w.muted(); }));
        // Nothing but a port is taken.
        auto* port = w.find<QLineEdit>("osc_port");
        port->setFocus();
        port->selectAll();
        QTest::keyClicks(port, "70000");
        QTest::keyClick(port, Qt::Key_Return);
        CHECK_THAT(state(), Catch::Contains("“70000” isn't a port"));
        CHECK(port->text() == QString::number(w.port));
        CHECK(dialog->isVisible());
        // A port that is taken is named, and when it is free again, it listens.
        QUdpSocket other;
        REQUIRE(other.bind(QHostAddress::LocalHost, 0, QUdpSocket::DontShareAddress));
        port->selectAll();
        QTest::keyClicks(port, QString::number(other.localPort()));
        QTest::keyClick(port, Qt::Key_Return);
        CHECK_THAT(state(), Catch::Contains("Another program uses port"));
        w.port = other.localPort();
        other.close();
        REQUIRE(Window::until([&] { return QString::fromStdString(state()).startsWith("Listening"); }));
        w.send("/unmute");
        REQUIRE(Window::until([&] { return !w.muted(); }));
        // Only on the address that was chosen.
        w.app.preferences().osc().set({true, "192.0.2.1", w.port});  // of no computer (RFC 5737)
        CHECK_THAT(state(), Catch::Contains("no address 192.0.2.1"));
        w.app.preferences().osc().set({true, "127.0.0.1", w.port});
        CHECK(w.app.saveState());
    }
    // It listens again at the next start.
    WithOsc w(folder);
    w.port = w.app.preferences().osc().settings().port;
    CHECK(w.settled());
}

TEST_CASE("messages reach only the address on which the program listens", "[app][osc]") {
    TemporaryFolder folder;
    WithOsc w(folder);
    w.turnOn();
    w.send("/mute", lo_message_new(), "127.0.0.2");  // of this computer, too
    w.send("/fader/voice", -6.0F);
    REQUIRE(Window::until([&] { return w.strip().chainModel().spec().fader == -6.0; }));
    CHECK_FALSE(w.muted());
}

TEST_CASE("a tablet runs actions, sets values, and the last of many counts", "[app][osc]") {
    TemporaryFolder folder;
    WithOsc w(folder);
    w.turnOn();
    w.send("/scene", "Evening quiet");
    REQUIRE(Window::until([&] { return w.app.mixer().name() == "Evening quiet"; }));
    w.send("/scene/1", 0.0F);  // a button that is released
    REQUIRE(w.settled());
    CHECK(w.app.mixer().name() == "Evening quiet");
    w.send("/scene/1", 1.0F);
    REQUIRE(Window::until([&] { return w.app.mixer().name() != "Evening quiet"; }));
    const double before = w.value("gate", "hold");
    for (int i = 0; i < 1000; ++i) {
        w.send("/set-value/gate/hold", static_cast<float>(100 + i % 400));
        QCoreApplication::processEvents();
    }
    w.send("/set-value/gate/hold", 333.0F);
    REQUIRE(w.settled());
    CHECK(w.value("gate", "hold") == 333.0);
    w.app.history().undo();
    CHECK(w.value("gate", "hold") == before);  // one movement, one step
    w.send("/set-position/gate/hold", 0.0F);
    REQUIRE(w.settled());
    CHECK(
        w.value("gate", "hold") ==
        w.strip()
            .chainModel()
            .stage("gate")
            ->stage_kind()
            .parameters[static_cast<size_t>(w.strip().chainModel().stage("gate")->stage_kind().find("hold"))]
            .minimum);
    // In a bundle for a quarter of a second later.
    const bool muted = w.muted();
    w.sendBytes(bundle(static_cast<quint64>((ui::oscTime() + 0.25) * 4294967296.0),
                       {ui::oscPacket("/toggle-mute", {})}));
    w.send("/fader/voice", -9.0F);
    REQUIRE(Window::until([&] { return w.strip().chainModel().spec().fader == -9.0; }));
    CHECK(w.muted() == muted);
    CHECK(Window::until([&] { return w.muted() != muted; }));
}

TEST_CASE("messages that are damaged or can't be done change nothing and say why", "[app][osc]") {
    TemporaryFolder folder;
    WithOsc w(folder);
    w.turnOn();
    const auto scene = w.app.mixer().scene();
    const auto refused = [&](const auto& sent) {
        w.app.preferences().osc().report({}, {});
        sent();
        REQUIRE(w.settled());
        REQUIRE(w.settled());
        return w.refused();
    };
    CHECK_THAT(refused([&] { w.send("/fly"); }), Catch::Contains("/fly: this action doesn't exist"));
    CHECK_THAT(refused([&] { w.sendBytes("garbage!"); }), Catch::Contains("damaged"));
    CHECK_THAT(refused([&] { w.send("/set-value/gate/hold", std::numeric_limits<float>::quiet_NaN()); }),
               Catch::Contains("nan"));
    CHECK_THAT(refused([&] { w.send("/fader/voice", std::numeric_limits<float>::infinity()); }),
               Catch::Contains("inf"));
    CHECK_THAT(refused([&] { w.send("/set-position/gate/hold", 1.5F); }),
               Catch::Contains("isn't a position"));
    CHECK_THAT(refused([&] { w.send("/scene", "No such scene"); }), Catch::Contains("No such scene"));
    CHECK_THAT(refused([&] { w.send("/scene"); }), Catch::Contains("needs an argument"));
    CHECK(w.app.mixer().scene() == scene);
    CHECK_FALSE(w.app.history().canUndo());
}

TEST_CASE("a subscriber receives mute, scene, levels and advice until its minute ends", "[app][osc]") {
    TemporaryFolder folder;
    WithOsc w(folder, 2000);
    w.turnOn();
    w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    REQUIRE(w.muted());
    w.send("/subscribe");
    REQUIRE(Window::until([&] { return w.last("/muted") == std::vector<std::string>{"1"}; }));
    CHECK(w.last("/scene") == std::vector<std::string>{w.app.mixer().name()});
    REQUIRE(Window::until([&] { return !w.last("/levels").empty(); }));
    CHECK(w.last("/levels").size() == 5);
    CHECK(w.last("/levels")[0] == "voice");
    CHECK(w.last("/loudness").size() == 2);
    w.send("/talk", 1.0F);
    REQUIRE(Window::until([&] { return w.last("/muted") == std::vector<std::string>{"0"}; }));
    w.app.scenes().recall("Evening quiet");
    REQUIRE(Window::until([&] { return w.last("/scene") == std::vector<std::string>{"Evening quiet"}; }));
    w.send("/fly");
    REQUIRE(Window::until([&] { return !w.last("/refused").empty(); }));
    // It says nothing more: what it holds is released, and it is sent nothing.
    CHECK_FALSE(w.muted());
    REQUIRE(Window::until([&] { return w.muted(); }));
    (void)w.last("/levels");
    w.heard.clear();
    CHECK(w.settled());
    (void)w.last("/levels");
    CHECK(w.heard.empty());
    // Turned off, everything that is held is released.
    w.app.mute().set(true);
    w.send("/subscribe");
    w.send("/talk", 1.0F);
    REQUIRE(Window::until([&] { return !w.muted(); }));
    w.app.preferences().osc().set({false, "127.0.0.1", w.port});
    CHECK(w.muted());
}
