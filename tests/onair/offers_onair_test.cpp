// A microphone's channels, its volume in the system, and what is offered of it, chosen in the window.
#include <QMenu>
#include <catch2/catch.hpp>
#include <csignal>
#include <nlohmann/json.hpp>
#include <set>

#include "live/daemon.h"
#include "onair/on_air.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Opens the chooser of the input and triggers an entry of it, or of a menu in it.
bool chooseInput(OnAir& w, const QString& text) {
    QTest::mouseClick(w.find<ui::FlatButton>("input_button"), Qt::LeftButton);
    auto* menu = w.find<QMenu>("input_menu");
    REQUIRE(menu != nullptr);
    bool found = false;
    for (QMenu* m : QList<QMenu*>{menu} + menu->findChildren<QMenu*>()) {
        for (QAction* a : m->actions()) {
            if (found || !a->text().startsWith(text)) continue;
            found = true;
            a->trigger();
        }
    }
    menu->close();
    QCoreApplication::sendPostedEvents(menu, QEvent::DeferredDelete);
    w.opened();
    return found;
}

}  // namespace

TEST_CASE("two strips share a device by its channels, and no channel twice", "[onair][live]") {
    Daemon daemon;
    daemon.add_source("box", "Stage box", "FL FR");
    OnAir w;
    w.setInput({DeviceKind::pipewire, "box"});
    REQUIRE(Window::until([&] {
        const PipeWireNode* m = w.strip().input().microphone();
        return m != nullptr && m->channels.size() == 2;
    }));
    REQUIRE(chooseInput(w, "Channel 2 (FR)"));
    CHECK(w.strip().input().choice() == DeviceChoice{DeviceKind::pipewire, "box", 2});
    CHECK(w.find<ui::FlatButton>("input_button")->text() == "Stage box, channel 2");
    CHECK(w.strip().engine().format().channels == 1);
    // The other one for a guest; the same is refused.
    ui::StripModel* guest = w.app.mixer().add(StripRole::voice);
    REQUIRE(guest != nullptr);
    guest->input().select({DeviceKind::pipewire, "box", 2});
    CHECK(w.told().contains("“Voice” already uses this microphone"));
    guest->input().select({DeviceKind::pipewire, "box"});
    CHECK(guest->input().hasNoInput());
    guest->input().select({DeviceKind::pipewire, "box", 1});
    REQUIRE(Window::until([&] { return guest->input().status().running; }));
    write_wav(w.folder.path("tone.wav"), mono(sine(1000, 0.2, 30.0)));
    const int player = daemon.play_into(w.folder.path("tone.wav"), "box:input_FL");
    const auto level = [](ui::StripModel& s) {
        std::vector<float> x(4800);
        float* rows[2] = {x.data(), nullptr};
        const auto sound = s.engine().input_history();
        return sound->read(sound->written() - 4800, 4800, rows) ? peak(x) : -1.0;
    };
    CHECK(Window::until([&] { return level(*guest) > 0.15; }));
    CHECK(level(w.strip()) == 0.0);
    Daemon::end(player);
    // It is remembered.
    CHECK(w.app.saveState());
    const auto kept = load_working_state(w.folder.path("state/session.json"));
    REQUIRE(kept.ok());
    CHECK(kept.value()->input.channel == 2);
    CHECK(kept.value()->inputs.at("guest").channel == 1);
}

TEST_CASE("the system's volume of the microphone stands beside it, is told and set there", "[onair][live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    OnAir w;
    auto* system = w.find<ui::ValueField>("system_volume");
    REQUIRE(system != nullptr);
    CHECK_FALSE(system->isVisible());  // the simulated room has none
    daemon.set_properties("desk_mic", "{ channelVolumes: [ 2.0 ] }");
    w.setInput({DeviceKind::pipewire, "desk_mic"});
    REQUIRE(Window::until([&] { return system->isVisible() && system->value() > 5.0; }));
    CHECK(system->value() == Approx(6.0).margin(0.1));
    QLabel* advice = w.find<QLabel>("input_advice");
    // Something must come in before the volume is what there is to say.
    write_wav(w.folder.path("hiss.wav"), mono(noise(0.003, 40.0, 5)));
    const int player = daemon.play(w.folder.path("hiss.wav"), "desk_mic");
    CHECK(Window::until([&] { return advice->text().contains("adds 6 dB"); }));
    Daemon::end(player);
    // Set here, it is set there.
    system->setFocus();
    QTest::keyClick(system, Qt::Key_Backspace);
    const auto volume = [&] { return w.strip().input().microphone()->volume; };
    CHECK(Window::until([&] { return std::abs(volume()) < 0.05; }));
    CHECK(system->value() == 0.0);
    system->openEditor("-12");
    QTest::keyClick(system->findChild<QLineEdit*>(), Qt::Key_Return);
    CHECK(Window::until([&] { return std::abs(volume() + 12.0) < 0.05; }));
    CHECK_THAT(daemon.dump(), Catch::Contains("0.25118"));
    // And what is set elsewhere comes here.
    daemon.set_properties("desk_mic", "{ channelVolumes: [ 0.5 ] }");
    CHECK(Window::until([&] { return std::abs(system->value() + 6.0) < 0.1; }));
}

TEST_CASE("a strip is offered as a microphone of its own by the menu, under its name, and taken back",
          "[onair][live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    OnAir w;
    w.setInput({DeviceKind::pipewire, "desk_mic"});
    REQUIRE(chooseInput(w, "Add as separate microphone “Dusky Reed: Voice”"));
    REQUIRE(chooseInput(w, "Add unprocessed as well"));
    const auto offered = [&](const std::string& title) {
        return daemon.dump().find("\"node.description\": \"" + title + "\"") != std::string::npos;
    };
    CHECK(Window::until(
        [&] { return offered("Dusky Reed: Voice") && offered("Dusky Reed: Voice, unprocessed"); }));
    // It does not offer itself as an input.
    for (const auto& source : w.app.audio().snapshot().sources) CHECK(source.name == "desk_mic");
    // A strip that gets another name keeps its microphones: they are made again by hand only.
    w.strip().chainModel().setStripName("Anna");
    REQUIRE(chooseInput(w, "Add unprocessed as well"));
    CHECK(Window::until([&] { return !offered("Dusky Reed: Voice, unprocessed"); }));
    CHECK(offered("Dusky Reed: Voice"));
    REQUIRE(chooseInput(w, "Add unprocessed as well"));
    CHECK(Window::until([&] { return offered("Dusky Reed: Anna, unprocessed"); }));
    CHECK(offered("Dusky Reed: Voice"));
    // The name of all of them.
    AudioSettings audio = w.app.audio().settings();
    audio.mic_title = "Workshop";
    w.app.audio().setSettings(audio);
    w.opened();
    CHECK(Window::until([&] { return offered("Workshop: Anna") && !offered("Dusky Reed: Anna"); }));
    CHECK(w.app.saveState());
    const auto kept = load_working_state(w.folder.path("state/session.json"));
    CHECK(kept.value()->input.offered);
    CHECK(kept.value()->input.plain);
    w.strip().input().setOffers(false, false);
    CHECK(
        Window::until([&] { return !offered("Workshop: Anna") && !offered("Workshop: Anna, unprocessed"); }));
    CHECK(offered("Workshop"));
}

TEST_CASE(
    "200 recalls, renames and changes of channels leave the session manager alive and its nodes in place",
    "[onair][live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    daemon.add_source("guest_mic", "Guest microphone");
    OnAir w;
    w.setInput({DeviceKind::pipewire, "desk_mic"});
    ui::StripModel* guest = w.app.mixer().add(StripRole::voice);
    REQUIRE(guest != nullptr);
    guest->input().select({DeviceKind::pipewire, "guest_mic"});
    REQUIRE(Window::until([&] { return !guest->input().isOpening(); }));
    w.strip().input().setOffers(true, true);
    guest->input().setOffers(true, true);
    w.app.mixer().add(StripRole::programme);
    REQUIRE(daemon.wait_for_node("dusky-reed-strip-guest-plain"));
    // Two scenes that call their strips otherwise, and one without the others.
    Scene scenes[3];
    for (int i = 0; i < 3; ++i) {
        scenes[i] = w.app.mixer().scene();
        scenes[i].name = "Scene " + std::to_string(i);
        for (StripSpec& s : scenes[i].desk.strips) s.name = s.id + " " + std::to_string(i);
        if (i == 2) scenes[i].desk.strips.resize(1);
    }
    const auto ids = [&] {
        std::set<int> out;
        for (const auto& o : nlohmann::json::parse(daemon.dump())) {
            if (o.value("type", "") != "PipeWire:Interface:Node") continue;
            const std::string name = o.at("info").at("props").value("node.name", "");
            if (name == "dusky-reed-strip-voice" || name == "dusky-reed-strip-voice-plain")
                out.insert(o.at("id").get<int>());
        }
        return out;
    };
    const auto before = ids();
    CHECK(before.size() == 2);
    const auto goes_on = [&] {
        const auto written = w.strip().engine().input_history()->written();
        return Window::until([&] {
            return !w.strip().input().isOpening() && w.strip().engine().chain().settled() &&
                   w.strip().engine().input_history()->written() != written;
        });
    };
    for (int i = 0; i < 200; ++i) {
        INFO("recall " << i);
        // Mostly the two names; the strips come and go with every tenth.
        const size_t next = i % 10 == 9 ? 2 : static_cast<size_t>(i % 2);
        w.app.mixer().adopt(scenes[next], "Recall", Fade::quick);
        REQUIRE(goes_on());
    }
    CHECK(ids() == before);
    // By hand: one more name, and more channels.
    for (int i = 0; i < 12; ++i) {
        INFO("change " << i);
        AudioSettings audio = w.app.audio().settings();
        audio.channels = 1 + (i + 1) % 2;
        if (i % 4 == 3) audio.mic_title = "Bench " + std::to_string(i);
        w.app.audio().setSettings(audio);
        w.opened();
        REQUIRE(goes_on());
        REQUIRE(Window::until([&] { return w.app.audio().snapshot().virtual_microphone; }));
    }
    // Only a session manager that lives links a recorder.
    const std::string file = daemon.folder() + "/at-last.wav";
    const int recorder = daemon.record(file, "dusky-reed");
    CHECK(Daemon::goes_on(file, 0.5));
    Daemon::end(recorder, SIGINT);
}
