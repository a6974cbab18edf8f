// One table of actions: keyboard, MIDI, D-Bus, the command line and Open Sound Control run the same.
#include <QDBusConnection>
#include <QDBusMessage>
#include <QProcess>
#include <QUdpSocket>
#include <map>
#include <set>

#include "actions/actions.h"
#include "actions/hold_shortcuts.h"
#include "live/midi_device.h"
#include "model/shared/shortcut_text.h"
#include "onair/on_air.h"
#include "remote/control.h"
#include "remote/midi_remote.h"
#include "remote/osc_remote.h"

namespace reed::test {
namespace {

/// The actions on a daemon and a bus of their own, with every way to them. The window is a plain one, so that
/// no dialog that an action opens takes the keys away.
struct EveryWay {
    Daemon daemon;
    MidiDevice deck{"Deck"};
    TemporaryFolder folder;
    ui::AppModel app{Window::paths(folder)};
    ui::Actions actions{app};
    QWidget window;
    ui::HoldShortcuts held{actions, [this](const QObject* o) { return o == &window; }};
    ui::StateReporter reporter{app};
    ui::RemoteControl control{actions, reporter};
    ui::MidiRemote midi{actions};
    ui::OscRemote osc{actions, reporter};
    QDBusConnection other = QDBusConnection::connectToBus(QDBusConnection::SessionBus, "every-way");
    std::vector<std::pair<QString, QString>> ran;

    ~EveryWay() { QDBusConnection::disconnectFromBus("every-way"); }
    EveryWay() {
        app.start();
        REQUIRE(Window::until([&] { return !app.mixer().main().input().isOpening(); }));
        actions.installKeys(&window);
        window.show();
        REQUIRE(QTest::qWaitForWindowExposed(&window, 60'000));
        window.activateWindow();
        REQUIRE(QTest::qWaitForWindowActive(&window, 60'000));
        REQUIRE(control.publish(QDBusConnection::sessionBus()) == ui::RemoteControl::Outcome::registered);
        QUdpSocket any;
        REQUIRE(any.bind(QHostAddress::LocalHost, 0));
        app.preferences().osc().set({true, "127.0.0.1", any.localPort()});
        any.close();
        osc.start();
        midi.start();
        QObject::connect(&actions, &ui::Actions::ran, &window,
                         [this](const QString& id, const QString& argument, const QString&) {
                             ran.emplace_back(id, argument);
                         });
    }
    /// Whether just this was run, in time.
    bool runs(const QString& id, const QString& argument) {
        const bool came = Window::until([&] { return !ran.empty(); }, 5.0);
        const auto all = std::exchange(ran, {});
        return came && all == std::vector<std::pair<QString, QString>>{{id, argument}};
    }
    void sendOsc(const QByteArray& address, const QVariantList& arguments) {
        QUdpSocket socket;
        const auto port = static_cast<quint16>(app.preferences().osc().settings().port);
        REQUIRE(socket.writeDatagram(ui::oscPacket(address, arguments), QHostAddress::LocalHost, port) > 0);
    }
};

/// An argument that the action understands at the start of the program.
QString sample(const ui::Action& action) {
    switch (action.argument) {
        case ui::Argument::none:
            return {};
        case ui::Argument::on_off:
            return "on";
        case ui::Argument::scene:
        case ui::Argument::strip:
        case ui::Argument::place:
            return "1";
        case ui::Argument::stage:
            return "gate";
        case ui::Argument::source:
            return "off";
        case ui::Argument::value:
            return "gate hold 120";
        case ui::Argument::position:
            return "gate hold 0.5";
        case ui::Argument::steps:
            return "gate hold 1";
        case ui::Argument::theme:
            return "dusk";
        case ui::Argument::strip_stage:
            return "voice gate";
        case ui::Argument::level:
            return "voice -3";
        case ui::Argument::milliseconds:
            return "60";
        case ui::Argument::character:
            return action.held ? "Robot on" : "Robot";
    }
    return {};
}

}  // namespace

TEST_CASE("every action can be run by D-Bus, the command line and Open Sound Control", "[onair][midi]") {
    EveryWay e;
    for (const ui::Action& action : ui::action_table()) {
        const QString id = action.id, argument = sample(action);
        INFO(id.toStdString() << " " << argument.toStdString());
        // Only who asked and what for is looked at, not whether it is possible just now.
        e.ran.clear();
        QDBusMessage call =
            QDBusMessage::createMethodCall(ui::kServiceName, ui::kServicePath, ui::kControlInterface, "Do");
        call << id << argument;
        (void)e.other.call(call, QDBus::BlockWithGui);
        CHECK(e.runs(id, argument));
        QStringList words{"--send", id};
        if (!argument.isEmpty()) words << argument.split(' ');
        QProcess program;
        program.start(REED_PROGRAM, words);
        REQUIRE(Window::until([&] { return program.state() == QProcess::NotRunning; }));
        CHECK(e.runs(id, argument));
        QVariantList arguments;
        for (const QString& word : argument.split(' ', Qt::SkipEmptyParts)) arguments << word;
        e.sendOsc('/' + id.toUtf8(), arguments);
        CHECK(e.runs(id, argument));
        // With the whole argument in the address, as a button of a tablet has it.
        const bool value =
            action.argument == ui::Argument::value || action.argument == ui::Argument::position ||
            action.argument == ui::Argument::steps || action.argument == ui::Argument::level ||
            action.argument == ui::Argument::milliseconds || action.argument == ui::Argument::strip_stage;
        if (value) continue;
        QByteArray address = '/' + id.toUtf8();
        if (action.argument != ui::Argument::none && action.argument != ui::Argument::on_off)
            address += '/' + argument.section(' ', 0, 0).toUtf8();
        e.sendOsc(address, {1.0});
        CHECK(e.runs(id, argument));
        e.sendOsc(address, {0.0});
        if (action.held) CHECK(e.runs(id, QString(argument).replace("on", "off")));
    }
}

TEST_CASE("every action with a shortcut can be run by its key, a mouse button and a MIDI note",
          "[onair][midi]") {
    EveryWay e;
    ui::Keys& keys = e.app.preferences().keys();
    std::vector<std::pair<QString, bool>> all;
    for (const ui::ShortcutSlot& slot : keys.all()) all.emplace_back(slot.id, slot.held);
    REQUIRE(all.size() > 60);
    // Which have no slot: an argument that is typed, not one of a few.
    std::set<std::string> without;
    for (const ui::Action& action : ui::action_table()) {
        const bool has = std::ranges::any_of(
            all, [&](const auto& slot) { return slot.first.section(' ', 0, 0) == action.id; });
        if (!has) without.insert(action.id);
    }
    CHECK(without == std::set<std::string>{"adjust-fader", "bypass", "enable-stage", "fader", "fixed-latency",
                                           "monitor", "mute-strip", "output-delay", "select", "set-position",
                                           "set-value", "solo", "step-value", "theme", "unmute-strip"});
    for (const auto& [slot, held] : all) keys.set(slot, {});
    int note = 0;
    for (const auto& [slot, held] : all) {
        INFO(slot.toStdString());
        const QString id = slot.section(' ', 0, 0);
        QString argument = slot.section(' ', 1), released = argument;
        if (held) argument += argument.isEmpty() ? "on" : " on";
        if (held) released += released.isEmpty() ? "off" : " off";
        e.ran.clear();
        keys.set(slot, QKeySequence(Qt::CTRL | Qt::ALT | Qt::Key_K));
        QTest::keyPress(&e.window, Qt::Key_K, Qt::ControlModifier | Qt::AltModifier);
        CHECK(e.runs(id, argument));
        QTest::keyRelease(&e.window, Qt::Key_K, Qt::ControlModifier | Qt::AltModifier);
        if (held) CHECK(e.runs(id, released));
        keys.set(slot, QKeySequence(QKeyCombination(ui::mouseKey(Qt::BackButton))));
        QTest::mousePress(&e.window, Qt::BackButton);
        CHECK(e.runs(id, argument));
        QTest::mouseRelease(&e.window, Qt::BackButton);
        if (held) CHECK(e.runs(id, released));
        keys.set(slot, {});

        const auto number = static_cast<std::uint8_t>(note % 128);
        const auto channel = static_cast<std::uint8_t>(note++ / 128);
        const MidiControl control{MidiControl::Kind::note, static_cast<std::uint8_t>(channel + 1), number};
        auto& midi = e.app.context().midi;
        REQUIRE(midi.assign("Deck", control, MidiCoding::absolute, {slot, {}}));
        // The first messages may come before the device is connected.
        const auto on = static_cast<std::uint8_t>(0x90 | channel),
                   off = static_cast<std::uint8_t>(0x80 | channel);
        const auto sends = [&](const std::vector<std::uint8_t>& message) {
            for (int i = 0; i < 40 && e.ran.empty(); ++i) {
                e.deck.send({message});
                (void)Window::until([&] { return !e.ran.empty(); }, 1.0);
            }
        };
        sends({on, number, 100});
        CHECK(e.runs(id, argument));
        if (held) {
            sends({off, number, 0});
            CHECK(e.runs(id, released));
        }
    }
}

}  // namespace reed::test
