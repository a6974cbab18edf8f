// The window on a real PipeWire daemon, and the parts of it that serve live sound.
#include <QElapsedTimer>
#include <QMessageBox>
#include <QPushButton>
#include <catch2/catch.hpp>
#include <csignal>

#include "base/file.h"
#include "base/sound_file.h"
#include "deck/popups.h"
#include "deck/scene_bar.h"
#include "live/daemon.h"
#include "model/scenes/auto_recall_rules.h"
#include "onair/on_air.h"
#include "remote/tray.h"
#include "support/command.h"

using namespace reed;
using namespace reed::test;

namespace {

void key(QWidget* w, QEvent::Type type) {
    QKeyEvent e(type, Qt::Key_M, type == QEvent::KeyPress ? Qt::ControlModifier : Qt::NoModifier);
    QApplication::sendEvent(w, &e);
}

}  // namespace

TEST_CASE("the talk key switches, talks while it is held, or mutes while it is held", "[onair]") {
    TemporaryFolder folder;
    Window w(folder);
    key(&w.window, QEvent::KeyPress);
    key(&w.window, QEvent::KeyRelease);
    CHECK(w.app.mute().on());
    key(w.node("gate"), QEvent::KeyPress);
    key(w.node("gate"), QEvent::KeyRelease);
    CHECK_FALSE(w.app.mute().on());

    QTest::mouseClick(w.find<ui::FlatButton>("main_menu"), Qt::LeftButton);
    REQUIRE(w.choose("main_popup", "Hold Ctrl+M to talk"));
    CHECK(w.app.mute().on());
    key(&w.window, QEvent::KeyPress);
    CHECK_FALSE(w.app.mute().on());
    QKeyEvent repeat(QEvent::KeyPress, Qt::Key_M, Qt::ControlModifier, {}, true);
    QApplication::sendEvent(&w.window, &repeat);
    CHECK_FALSE(w.app.mute().on());
    key(&w.window, QEvent::KeyRelease);
    CHECK(w.app.mute().on());
    // The window loses the keyboard while it is held: no microphone stays open unseen.
    key(&w.window, QEvent::KeyPress);
    QEvent away(QEvent::WindowDeactivate);
    QApplication::sendEvent(&w.window, &away);
    CHECK(w.app.mute().on());

    w.app.preferences().setTalkKey(ui::Preferences::TalkKey::mutes);
    w.app.mute().set(false);
    key(&w.window, QEvent::KeyPress);
    CHECK(w.app.mute().on());
    key(&w.window, QEvent::KeyRelease);
    CHECK_FALSE(w.app.mute().on());
}

TEST_CASE("delay and load are shown stage by stage, and add up", "[onair]") {
    TemporaryFolder folder;
    Window w(folder);
    REQUIRE(Window::until([&] { return w.strip().levelsFit() && w.strip().levels().seconds > 1.0; }));
    QTest::mouseClick(w.find<ui::FlatButton>("status"), Qt::LeftButton);
    auto* popup = w.find<ui::DelayPopup>("delay_popup");
    REQUIRE(popup != nullptr);
    const auto rows = popup->rows();
    REQUIRE(rows.size() == w.strip().chainModel().chain().stages.size() + 3);
    double sum = 0.0;
    for (size_t i = 0; i + 1 < rows.size(); ++i) sum += rows[i][1].split(' ')[0].toDouble();
    CHECK(rows.back()[1].split(' ')[0].toDouble() == Approx(sum).margin(0.5));
    CHECK(rows[3][0] == "Suppression");
    CHECK(rows[3][1] == "20.0 ms");
    CHECK(rows[3][2].endsWith("%"));
    CHECK(w.find<ui::FlatButton>("block_256")->isChecked());
    QTest::mouseClick(w.find<ui::FlatButton>("block_1024"), Qt::LeftButton);
    CHECK(w.app.audio().settings().block == 1024);
    popup->close();
}

TEST_CASE("the tray's sign tells the mute, and its menu switches it", "[onair]") {
    TemporaryFolder folder;
    Window w(folder);
    ui::Tray tray(w.window.actions());
    const auto color = [](const QIcon& icon) { return icon.pixmap(64, 64).toImage().pixelColor(10, 32); };
    CHECK(color(ui::Tray::picture(true)) != color(ui::Tray::picture(false)));
    REQUIRE(tray.menu().actions().size() > 5);
    CHECK(tray.menu().actions()[1]->text() == "Mute");
    tray.menu().actions()[1]->trigger();
    CHECK(w.app.mute().on());
    CHECK(tray.menu().actions()[1]->text() == "Unmute");
    CHECK(tray.icon().toolTip().contains("muted"));
    w.window.hide();
    tray.menu().actions().first()->trigger();
    CHECK(w.window.isVisible());
    tray.menu().actions().last()->trigger();
    CHECK(Window::until([&] { return !w.window.isVisible(); }));
}

TEST_CASE("microphones come and go in the window, which goes on by itself", "[onair][live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    daemon.add_sink("phones", "Headphones");
    daemon.add_sink("tv_speaker", "Living room speaker");
    OnAir w;
    REQUIRE(Window::until([&] { return w.app.audio().snapshot().sources.size() == 1; }));
    w.setInput({DeviceKind::pipewire, "desk_mic"});
    CHECK(w.strip().input().title() == "Desk microphone");
    REQUIRE(Window::until([&] { return w.strip().input().status().running; }));
    REQUIRE(Window::until([&] { return w.strip().engine().figures().blocks > 10; }));

    // The monitor: refused nothing, heard through the chosen output, warned of loudspeakers.
    w.strip().context().monitor.setSink("phones");
    QTest::mouseClick(w.find<ui::FlatButton>("monitor_button"), Qt::LeftButton);
    auto* popup = w.find<ui::MonitorPopup>("monitor_popup");
    REQUIRE(popup != nullptr);
    QTest::mouseClick(popup->findChild<ui::FlatButton*>("monitor_1"), Qt::LeftButton);
    CHECK(w.strip().monitoring().settings().source == MonitorSource::feed);
    CHECK(daemon.wait_for_node("dusky-reed-monitor"));
    CHECK(w.find<ui::FlatButton>("monitor_button")->text() == "Output");
    auto* volume = popup->findChild<ui::ValueField*>("volume");
    QTest::keyClick(volume, Qt::Key_Down);
    CHECK(w.strip().monitoring().settings().volume_db < 0.0);
    popup->close();
    w.strip().context().monitor.setSink("tv_speaker");
    CHECK_THAT(w.told().toStdString(), Catch::Contains("Living room speaker looks like loudspeakers"));
    // Said for as long as an app records, and ended by one press.
    auto* verdict = w.find<QLabel>("feed_verdict");
    CHECK(verdict->text() != "Monitor on loudspeakers.");
    const int listener = daemon.record(daemon.folder() + "/listener.wav", "dusky-reed");
    REQUIRE(Window::until([&] { return verdict->text() == "Monitor on loudspeakers."; }));
    CHECK(verdict->toolTip().contains("Living room speaker"));
    QTest::mouseClick(w.find<ui::FlatButton>("verdict_button"), Qt::LeftButton);
    CHECK(w.strip().monitoring().settings().source == MonitorSource::off);
    CHECK(Window::until([&] { return verdict->text() != "Monitor on loudspeakers."; }));
    Daemon::end(listener);

    daemon.remove_node("desk_mic");
    REQUIRE(Window::until([&] { return w.strip().input().status().waiting; }));
    daemon.add_source("desk_mic", "Desk microphone");
    REQUIRE(Window::until([&] { return w.strip().input().status().running; }));

    // In use by another program, closing asks once.
    const int recorder = daemon.record(daemon.folder() + "/stream.wav", "dusky-reed");
    REQUIRE(Window::until([&] { return w.strip().input().status().feed_used; }));
    const auto closed_by = [&](const char* answer) {
        return answering(w.window, "close_question", answer, [&] { w.window.close(); });
    };
    CHECK(closed_by("Keep running") == 1);
    CHECK(w.window.isVisible());
    CHECK(closed_by("Close") == 1);
    CHECK_FALSE(w.window.isVisible());
    Daemon::end(recorder);
}

TEST_CASE("the virtual microphone stays when the input changes, and goes with an explicit quit only",
          "[onair][live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    OnAir w;
    const auto there = [&] {
        return daemon.dump().find("\"node.name\": \"dusky-reed\"") != std::string::npos;
    };
    const auto menu_has_it = [&] {
        QTest::mouseClick(w.find<ui::FlatButton>("main_menu"), Qt::LeftButton);
        auto* menu = w.find<QMenu>("main_popup");
        REQUIRE(menu != nullptr);
        const bool found = menu->findChild<QAction*>("quit_without_microphone") != nullptr;
        menu->close();
        delete menu;
        return found;
    };
    CHECK_FALSE(menu_has_it());
    REQUIRE(Window::until([&] { return w.app.audio().snapshot().sources.size() == 1; }));
    w.setInput({DeviceKind::pipewire, "desk_mic"});
    REQUIRE(Window::until([&] { return w.app.audio().snapshot().virtual_microphone; }));
    const int recorder = daemon.record(daemon.folder() + "/stream.wav", "dusky-reed");
    REQUIRE(Window::until([&] { return w.app.audio().outputUsed(); }));
    // Two channels, another name: the one that is listened to is made anew, never missing.
    ui::StripModel& strip = w.strip();
    AudioSettings audio = w.app.audio().settings();
    audio.channels = 2;
    audio.mic_title = "Bench microphone";
    w.app.audio().setSettings(audio);
    REQUIRE(Window::until([&] { return daemon.dump().find("Bench microphone") != std::string::npos; }));
    REQUIRE(Window::until(
        [&] { return daemon.dump().find("\"node.description\": \"Dusky Reed\"") == std::string::npos; }));
    REQUIRE(Window::until([&] { return strip.input().status().running && w.app.audio().outputUsed(); }));
    CHECK(daemon.hears(recorder, "dusky-reed"));
    // The simulated room feeds nothing, and the microphone stays.
    w.setInput({DeviceKind::simulated_room, ""});
    CHECK(there());
    CHECK(menu_has_it());

    QString press = "Keep running";
    QString asked;
    QTimer answer;
    QObject::connect(&answer, &QTimer::timeout, [&] {
        auto* ask = w.window.findChild<QMessageBox*>("remove_question");
        if (ask == nullptr || !ask->isVisible()) return;
        asked = ask->text();
        for (QAbstractButton* b : ask->buttons()) {
            if (b->text() == press) b->click();
        }
    });
    answer.start(30);
    const auto quit = [&] {
        QTest::mouseClick(w.find<ui::FlatButton>("main_menu"), Qt::LeftButton);
        auto* action = w.window.findChild<QAction*>("quit_without_microphone");
        REQUIRE(action != nullptr);
        action->trigger();
    };
    quit();
    CHECK_THAT(asked.toStdString(),
               Catch::Contains("is using") && Catch::Contains("unprocessed and unmuted"));
    CHECK(w.window.isVisible());
    CHECK(there());
    press = "Remove and quit";
    quit();
    CHECK_FALSE(w.window.isVisible());
    CHECK_FALSE(there());
    Daemon::end(recorder);
}

TEST_CASE("the monitor is lowered for a tone, cut when the tone falls with it twice, and says why",
          "[onair][live]") {
    Daemon daemon;
    daemon.add_sink("phones", "Headphones");
    OnAir w;
    MonitorSettings on;
    on.source = MonitorSource::plain;
    w.strip().monitoring().set(on);
    REQUIRE(w.strip().monitoring().settings().source == MonitorSource::plain);
    w.window.messages()->dismiss();
    const auto monitored = [&] {
        const auto history = w.strip().engine().monitor_history();
        std::vector<float> left(2400);
        std::vector<float> right(2400);
        float* rows[kMaxChannels] = {left.data(), right.data()};
        const bool there = history->written() > 2400 && history->read(history->written() - 2400, 2400, rows);
        return there ? db(rms(left)) : -200.0;
    };
    // A whistle goes on whatever the monitor does: it is lowered by 12 dB for a moment, and comes back.
    write_wav(w.folder.path("whistle.wav"), mono(mix(sine(1240, 0.2, 3.0), noise(0.001, 3.0, 1))));
    w.setInput({DeviceKind::sound_file, w.folder.path("whistle.wav")});
    REQUIRE(Window::until([&] { return monitored() > -18.5; }));
    REQUIRE(Window::until([&] { return monitored() < -26.0; }));
    REQUIRE(Window::until([&] { return monitored() > -18.5; }));
    CHECK(w.strip().monitoring().settings().source == MonitorSource::plain);
    CHECK(w.strip().monitoring().settings().volume_db == 0.0);  // nothing of it is shown or kept
    CHECK(w.told().isEmpty());
    // A tone that is gone while the monitor is lowered, comes back with it, and is gone again.
    std::vector<float> howl;
    for (int k = 0; k < 6; ++k) {
        append(howl, sine(1240, 0.2, 0.6));
        append(howl, silence(0.5));
    }
    write_wav(w.folder.path("howl.wav"), mono(mix(howl, noise(0.001, 6.6, 1))));
    w.setInput({DeviceKind::sound_file, w.folder.path("howl.wav")});
    const auto off = [&] { return w.strip().monitoring().settings().source == MonitorSource::off; };
    REQUIRE(Window::until(off));
    CHECK_THAT(w.told().toStdString(), Catch::Contains("Feedback at 12") && Catch::Contains("was stopped"));
    // Switched on again by hand it is heard again, and cut again.
    w.strip().monitoring().set(on);
    CHECK(w.strip().monitoring().settings().source == MonitorSource::plain);
    REQUIRE(Window::until(off));
}

TEST_CASE("hearing up to a stage follows the stage, and the monitor is off after a start", "[onair][live]") {
    Daemon daemon;
    daemon.add_sink("phones", "Headphones");
    OnAir w;
    CHECK(w.strip().monitoring().settings().source == MonitorSource::off);
    auto* node = w.window.diagram()->node("suppression");
    node->setFocus();
    QTest::keyClick(node, Qt::Key_H);
    CHECK(w.strip().monitoring().settings().source == MonitorSource::tap);
    CHECK(w.strip().monitoring().settings().tap == 2);
    CHECK(node->accessibleDescription().contains("headphones"));
    w.strip().chainModel().moveStage("suppression", 0);
    CHECK(w.strip().monitoring().settings().tap == 1);
    w.strip().chainModel().removeStage("suppression");
    CHECK(w.strip().monitoring().settings().source == MonitorSource::off);
    w.strip().monitoring().monitorAfterStage("gate");
    CHECK(w.app.saveState());
    ui::AppModel again(Window::paths(w.folder));
    again.start();
    CHECK(again.mixer().main().monitoring().settings().source == MonitorSource::off);
}

TEST_CASE("a scene is recalled by a program that plays and a microphone that is plugged in",
          "[onair][live]") {
    AtTheDesk w;
    Daemon& daemon = w.daemon;
    auto& rules = w.app.recallRules();
    QElapsedTimer since;
    since.start();
    std::int64_t later = 0;
    // Ten seconds are a fifth of one, and some go by at once.
    rules.setClock([since, &later] { return 50 * since.elapsed() + later; });
    const auto name = [&] { return w.app.mixer().name(); };
    const auto programs = [&] { return w.app.audio().snapshot().programs.size(); };
    write_wav(w.folder.path("song.wav"), mono(noise(0.1, 60.0, 3)));
    int player = daemon.play_as_program(w.folder.path("song.wav"), "phones");
    REQUIRE(Window::until([&] { return programs() == 1; }));
    // Made by what plays now.
    w.app.scenes().recall("Rain on tin");
    w.window.sceneBar()->openRules();
    auto* panel = w.find<QWidget>("scene_rules");
    REQUIRE(panel != nullptr);
    QTest::mouseClick(panel->findChild<ui::FlatButton*>("rule_program"), Qt::LeftButton);
    auto* menu = panel->findChild<QMenu*>("rule_programs");
    REQUIRE(menu != nullptr);
    REQUIRE(menu->actions().size() == 1);
    CHECK(menu->actions()[0]->text().contains("pw-cat"));
    menu->actions()[0]->trigger();
    panel->close();
    REQUIRE(rules.all().size() == 1);
    rules.add({.when = RecallRule::When::device_is_there, .name = "usb_mic", .scene = "Evening quiet"});
    w.app.scenes().recall("Bench talk");
    Daemon::end(player);
    REQUIRE(Window::until([&] { return programs() == 0; }));
    later += 20'000;  // longer than between two songs
    CHECK(name() == "Bench talk");
    player = daemon.play_as_program(w.folder.path("song.wav"), "phones");
    CHECK(Window::until([&] { return name() == "Rain on tin"; }));
    Daemon::end(player);
    CHECK(Window::until([&] { return name() == "Bench talk"; }));
    daemon.add_source("usb_mic", "USB microphone");
    CHECK(Window::until([&] { return name() == "Evening quiet"; }));
}

TEST_CASE("what other programs play is heard in the headphones by itself, and is never fed into itself",
          "[onair][live]") {
    AtTheDesk w;
    Daemon& daemon = w.daemon;
    ui::StripModel* music = w.app.mixer().add(StripRole::programme);
    REQUIRE(music != nullptr);
    const std::string output = music->input().appAudioDevice().target;
    REQUIRE(Window::until([&] { return music->audio().snapshot().has_output(output); }));
    REQUIRE(Window::until([&] { return music->monitoring().settings().source == MonitorSource::feed; }));
    CHECK(w.strip().monitoring().settings().source == MonitorSource::off);  // the own voice is not
    write_wav(w.folder.path("song.wav"), mono(noise(0.1, 60.0, 3)));
    const int player = daemon.play_as_program(w.folder.path("song.wav"), "phones");
    const auto plays_into = [&](const std::string& where) {
        const auto& programs = music->audio().snapshot().programs;
        return programs.size() == 1 && programs.front().into == where;
    };
    REQUIRE(Window::until([&] { return plays_into("phones"); }));
    // By the menu of the programme's input.
    QTest::mouseClick(w.find<ui::FlatButton>("input_button"), Qt::LeftButton);
    auto* menu = w.find<QMenu>("input_menu");
    REQUIRE(menu != nullptr);
    QAction* entry = nullptr;
    for (QAction* a : menu->actions()) {
        if (a->text().contains("pw-cat")) entry = a;
    }
    REQUIRE(entry != nullptr);
    entry->trigger();
    menu->close();
    REQUIRE(Window::until([&] { return plays_into(output); }));
    const auto level = [&] {
        const auto sound = music->engine().input_history();
        std::vector<float> x(9600), y(9600);
        float* rows[2] = {x.data(), y.data()};
        return sound->read(sound->written() - 9600, 9600, rows) ? rms(x) : -1.0;
    };
    REQUIRE(Window::until([&] { return level() > 0.05; }));
    const std::string heard = w.folder.path("heard.wav");
    const int recorder = daemon.record_pair(heard, "phones:monitor_MONO", "phones:monitor_MONO");
    REQUIRE(Daemon::goes_on(heard, 2.0));
    Daemon::end(recorder, SIGINT);
    const auto in_the_ears = read_sound(heard);
    REQUIRE(in_the_ears.ok());
    CHECK(rms(in_the_ears.value()[0], in_the_ears.value().frames() / 2) > 0.05);
    // It ends and plays again: it is sent there by itself; not when the wish was taken back.
    Daemon::end(player);
    REQUIRE(Window::until([&] { return music->audio().snapshot().programs.empty(); }));
    int player_again = daemon.play_as_program(w.folder.path("song.wav"), "phones");
    REQUIRE(Window::until([&] { return plays_into(output); }));
    CHECK(w.app.saveState());
    CHECK(read_file(w.folder.path("state/session.json"), 1 << 20).value().find("pw-cat") !=
          std::string::npos);
    music->input().moveApp(music->audio().snapshot().programs.front(), false);
    REQUIRE(Window::until([&] { return plays_into("phones"); }));
    CHECK(w.app.saveState());  // what is not kept is not called at the next start either
    CHECK(read_file(w.folder.path("state/session.json"), 1 << 20).value().find("pw-cat") ==
          std::string::npos);
    Daemon::end(player_again);
    REQUIRE(Window::until([&] { return music->audio().snapshot().programs.empty(); }));
    player_again = daemon.play_as_program(w.folder.path("song.wav"), "phones");
    REQUIRE(Window::until([&] { return plays_into("phones"); }));
    music->input().moveApp(music->audio().snapshot().programs.front(), true);
    REQUIRE(Window::until([&] { return plays_into(output); }));
    // The whole system plays into it: it is still heard, and does not hear itself when the music has ended.
    run_command({"/usr/bin/pw-metadata", "0", "default.configured.audio.sink",
                 "{\"name\":\"" + output + "\"}", "Spa:String:JSON"});
    REQUIRE(Window::until([&] { return music->audio().snapshot().default_sink == output; }));
    const MonitorSettings on = music->monitoring().settings();
    w.app.context().monitor.setSink("phones");
    w.app.context().monitor.setSink("");
    music->monitoring().set(on);
    CHECK(Window::until([&] { return level() > 0.05; }));
    Daemon::end(player_again);
    CHECK(Window::until([&] { return level() == 0.0; }));

    // No two strips on one microphone.
    ui::StripModel* guest = w.app.mixer().add(StripRole::voice);
    REQUIRE(guest != nullptr);
    QString said;
    QObject::connect(&w.app.notices(), &ui::Notifications::told, &w.window,
                     [&](const QString& words) { said += words; });
    guest->input().select({DeviceKind::pipewire, "desk_mic"});
    CHECK(said.contains("“Voice” already uses this microphone"));
    CHECK(guest->input().hasNoInput());
}
