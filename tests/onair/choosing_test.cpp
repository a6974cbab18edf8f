// The right microphone is found by speaking, and what the system's settings do to it is told.
#include <catch2/catch.hpp>

#include "deck/input_menu.h"
#include "live/daemon.h"
#include "model/devices/microphones.h"
#include "onair/on_air.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Two microphones; one hears a tone at -20 dBFS, the other nothing.
struct Bench {
    Daemon daemon;
    OnAir w;
    int player = 0;

    Bench() {
        daemon.add_source("desk_mic", "Desk microphone");
        daemon.add_source("boom_mic", "Boom over the desk");
        write_wav(daemon.folder() + "/tone.wav", mono(sine(440.0, 0.1, 120.0)));
        player = daemon.play(daemon.folder() + "/tone.wav", "boom_mic");
        REQUIRE(Window::until([&] { return w.app.audio().snapshot().sources.size() == 2; }));
    }
    ~Bench() { Daemon::end(player); }
    ui::InputMenu* open() {
        QTest::mouseClick(w.find<ui::FlatButton>("input_button"), Qt::LeftButton);
        auto* menu = w.find<ui::InputMenu>("input_menu");
        REQUIRE(menu != nullptr);
        return menu;
    }
    static QAction* row(QMenu* menu, const QString& title) {
        for (QAction* a : menu->actions())
            if (a->text().split('\t')[0] == title) return a;
        return nullptr;
    }
    static QString says(QMenu* menu, const QString& title) {
        QAction* a = row(menu, title);
        return a == nullptr ? QString() : a->text().section('\t', 1);
    }
    QString advice() { return w.find<QLabel>("input_advice")->text(); }
};

}  // namespace

TEST_CASE("the chooser shows what every microphone hears, while it is open", "[onair][live]") {
    Bench d;
    ui::Microphones& mics = d.w.strip().microphones();
    CHECK_FALSE(mics.listening());
    ui::InputMenu* menu = d.open();
    CHECK(mics.listening());
    REQUIRE(Window::until([&] { return d.says(menu, "Boom over the desk") == "-20 dBFS"; }));
    REQUIRE(Window::until([&] { return d.says(menu, "Desk microphone") == "silent"; }));
    CHECK(menu->lineOf("boom_mic") == Approx(50.0 / 70.0).margin(0.05));
    CHECK(menu->lineOf("desk_mic") == 0.0);
    // It is painted under the name: the row of the one that hears has the line's colour, the other has none.
    const auto lit = [&](const char* title) {
        const QImage picture = menu->grab().toImage();
        const QRect at = menu->actionGeometry(d.row(menu, title));
        int count = 0;
        for (int x = at.left(); x < at.right(); ++x)
            count += picture.pixelColor(x, at.bottom() - 1) == ui::theme().straw ? 1 : 0;
        return static_cast<double>(count) / at.width();
    };
    CHECK(lit("Boom over the desk") > 0.5);
    CHECK(lit("Desk microphone") == 0.0);
    // What the system does to one is told beside it, and a microphone that comes or goes meanwhile.
    d.daemon.set_properties("desk_mic", "{ mute: true }");
    d.daemon.set_properties("boom_mic", "{ channelVolumes: [ 0.5 ] }");
    REQUIRE(Window::until([&] { return d.says(menu, "Desk microphone") == "muted in the system"; }));
    REQUIRE(Window::until([&] { return d.says(menu, "Boom over the desk").startsWith("system -6 dB"); }));
    d.daemon.remove_node("desk_mic");
    REQUIRE(Window::until([&] { return d.says(menu, "Desk microphone") == "disconnected"; }));
    CHECK_FALSE(d.row(menu, "Desk microphone")->isEnabled());
    REQUIRE(Window::until([&] { return !mics.now("desk_mic"); }));
    d.daemon.add_source("desk_mic", "Desk microphone");
    // It comes back as the session manager remembers it, and is heard anew.
    REQUIRE(Window::until([&] { return d.says(menu, "Desk microphone") == "muted in the system"; }));
    REQUIRE(Window::until([&] { return mics.now("desk_mic") && mics.now("desk_mic")->silent; }));
    CHECK(d.row(menu, "Desk microphone")->isEnabled());
    // Chosen by the keyboard; the others are let go.
    menu->setActiveAction(d.row(menu, "Boom over the desk"));
    QTest::keyClick(menu, Qt::Key_Return);
    CHECK(d.w.strip().input().choice() == DeviceChoice{DeviceKind::pipewire, "boom_mic"});
    REQUIRE(Window::until([&] { return !mics.listening(); }));
    CHECK(d.daemon.dump().find("dusky-reed-ear") == std::string::npos);
}

TEST_CASE("a silent or muted microphone is told, with the one that hears something", "[onair][live]") {
    Bench d;
    d.w.setInput({DeviceKind::pipewire, "desk_mic"});
    // Not of the first moment, in which every microphone is silent.
    REQUIRE(Window::until([&] {
        const bool told = d.w.strip().microphones().trouble().contains("digital silence");
        if (told) CHECK(d.w.strip().levels().seconds >= 0.5);
        return told;
    }));
    REQUIRE(Window::until([&] { return d.advice().contains("digital silence"); }));
    REQUIRE(
        Window::until([&] { return d.advice().endsWith("Boom over the desk has a signal (-20 dBFS)."); }));
    d.daemon.set_properties("desk_mic", "{ mute: true }");
    REQUIRE(Window::until([&] { return d.advice().startsWith("Muted in the system sound settings."); }));
    CHECK(d.advice().contains("Boom over the desk has a signal"));
    d.daemon.set_properties("desk_mic", "{ mute: false, channelVolumes: [ 0.0 ] }");
    REQUIRE(Window::until([&] { return d.advice().startsWith("Volume is at zero"); }));
    // The one that hears: nothing is wrong with it, and nobody listens to the others any more.
    d.w.setInput({DeviceKind::pipewire, "boom_mic"});
    REQUIRE(Window::until([&] { return d.advice().startsWith("No speech detected yet"); }));
    REQUIRE(Window::until([&] { return !d.w.strip().microphones().listening(); }));
    // It is never the other one that is named in its place.
    d.daemon.set_properties("boom_mic", "{ channelVolumes: [ 0.0 ] }");
    ui::InputMenu* menu = d.open();
    REQUIRE(Window::until([&] { return d.w.strip().microphones().now("boom_mic").has_value(); }));
    REQUIRE(Window::until([&] { return d.advice().startsWith("Volume is at zero"); }));
    // The advice is worked out anew with every fifteenth reading.
    int readings = 0;
    QObject::connect(&d.w.strip(), &ui::StripModel::readingsChanged, menu, [&] { ++readings; });
    REQUIRE(Window::until([&] { return readings > 40; }));
    CHECK_FALSE(d.advice().contains("hears"));
    menu->close();
}
