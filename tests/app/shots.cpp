// Pictures of every main view, made from the demo data: hidden, run by tools/shots.
#include <QPainter>
#include <catch2/catch.hpp>
#include <filesystem>

#include "actions/actions.h"
#include "actions/midi_dialog.h"
#include "actions/shortcuts_dialog.h"
#include "app/window.h"
#include "deck/adaptation_popover.h"
#include "model/scenes/adaptation_model.h"
#include "model/shared/shortcut_text.h"
#include "model/soundcheck/soundcheck_model.h"
#include "model/strips/noise_profile_learner.h"
#include "model/takes/takes_model.h"
#include "rail/compact_window.h"
#include "scenes/library.h"

using namespace reed;
using namespace reed::test;

namespace {

void shoot(Window& w, const char* name) {
    const QByteArray folder = qgetenv("REED_SHOTS");
    REQUIRE_FALSE(folder.isEmpty());
    QTest::qWait(60);
    REQUIRE(w.window.grab().save(QString::fromLocal8Bit(folder) + "/" + name + ".png"));
}

void settle(double seconds) {
    QTest::qWait(static_cast<int>(1000 * seconds));
}

}  // namespace

TEST_CASE("shots: suppression", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("suppression");
    const auto row = [](const char* id) { return static_cast<size_t>(kSuppressionStage.find(id)); };
    w.strip().input().setRoom(kRoomEffort, 0);
    w.strip().chainModel().setValue("suppression", row("method"), 2);
    settle(3.0);
    QTest::mouseClick(w.find<ui::FlatButton>("learn_button"), Qt::LeftButton);
    settle(2.0);
    REQUIRE(
        Window::until([&] { return !w.strip().chainModel().stage("suppression")->taught.empty(); }, 10.0));
    w.strip().input().setRoom(kRoomEffort, 3);
    settle(9.0);
    shoot(w, "suppression-dusk");
}

TEST_CASE("shots: input", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    auto x = spoken_words(3);
    for (float& v : x) v = std::clamp(1.25f * v, -1.0f, 1.0f);
    write_wav(folder.path("evening.wav"), mono(x));
    w.setInput({DeviceKind::sound_file, folder.path("evening.wav")});
    w.strip().chainModel().focus("gate");
    settle(24.0);
    shoot(w, "input-dusk");
}

TEST_CASE("shots: dynamics", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("compressor");
    settle(9.0);
    shoot(w, "compressor-dusk");
    // A gate that cuts.
    w.strip().chainModel().focus("gate");
    const auto row = [](const char* id) { return static_cast<size_t>(find_stage_kind("gate")->find(id)); };
    w.strip().chainModel().setValue("gate", row("open_threshold"), -20);
    w.strip().chainModel().setValue("gate", row("close_threshold"), -21);
    w.strip().chainModel().setValue("gate", row("hold"), 0);
    w.strip().chainModel().setValue("gate", row("attack"), 40);
    settle(8.0);
    w.app.preferences().setTheme("dawn");
    shoot(w, "gate-cuts-dawn");
}

TEST_CASE("shots: equalizer", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("equalizer");
    settle(12.0);
    auto* curve = w.find<ui::EqCurve>("eq_curve");
    QTest::mouseMove(curve, QPoint(260, 90));
    settle(0.3);
    shoot(w, "equalizer-dusk");
    // A shelf that comes down where its range is loud.
    const auto set = [&](const char* id, double value) {
        w.strip().chainModel().setValue("equalizer", static_cast<size_t>(kEqualizerStage.find(id)), value);
    };
    curve->chooseBand(4);
    set("band5_frequency", 5000);
    set("band5_gain", 5);
    set("band5_moves", 1);
    set("band5_threshold", -42);
    QTest::mouseClick(w.find<ui::FlatButton>("moves_button"), Qt::LeftButton);
    QTest::mouseMove(&w.window, QPoint(600, 30));
    settle(14.0);
    shoot(w, "equalizer-moving");
    QTest::mouseClick(w.find<ui::FlatButton>("moves_button"), Qt::LeftButton);
}

TEST_CASE("shots: multiband", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().addStage(*find_stage_kind("multiband"), 4);
    w.strip().chainModel().focus("multiband");
    const auto set = [&](const char* id, double value) {
        w.strip().chainModel().setValue("multiband",
                                        static_cast<size_t>(find_stage_kind("multiband")->find(id)), value);
    };
    set("range1_threshold", -38);
    set("range1_ratio", 4);
    set("range3_threshold", -48);
    settle(20.0);
    shoot(w, "multiband-dusk");
}

TEST_CASE("shots: diagram", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("gate");
    settle(11.0);
    w.window.diagram()->showLevels(2);
    settle(0.5);
    shoot(w, "levels-dusk");
}

TEST_CASE("shots: desk", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    w.app.scenes().recall("Two at the bench");
    settle(40.0);
    w.strip().chainModel().focus("compressor");
    w.app.mixer().strips()[2]->chainModel().setFader(-5);
    w.window.actions().act("balance");
    settle(25.0);
    shoot(w, "balance-dusk");
    w.window.actions().act("character", "Robot");
    w.window.actions().act("small-window");
    settle(1.0);
    REQUIRE(w.window.smallWindow()->grab().save(QString::fromLocal8Bit(qgetenv("REED_SHOTS")) +
                                                "/small-dusk.png"));
    w.window.actions().act("small-window");
}

TEST_CASE("shots: popups", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    settle(3.0);
    w.strip().chainModel().setCharacter("Robot");
    for (const auto& [button, popup] :
         {std::pair{"characters_button", "characters_popup"}, std::pair{"monitor_button", "monitor_popup"}}) {
        QTest::mouseClick(w.find<ui::FlatButton>(button), Qt::LeftButton);
        auto* p = w.find<QWidget>(popup);
        REQUIRE(p != nullptr);
        settle(1.0);
        // A popup is a window of its own: put into the picture where it stands.
        QPixmap picture = w.window.grab();
        QPainter painter(&picture);
        painter.drawPixmap(w.window.mapFromGlobal(p->mapToGlobal(QPoint(0, 0))), p->grab());
        painter.end();
        REQUIRE(picture.save(QString::fromLocal8Bit(qgetenv("REED_SHOTS")) + "/" +
                             QString(popup).replace("_", "-") + ".png"));
        p->close();
        w.strip().chainModel().setCharacter({});
    }
}

TEST_CASE("shots: keys", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    const QByteArray shots = qgetenv("REED_SHOTS");
    w.app.preferences().keys().set("toggle-mute",
                                   QKeySequence(QKeyCombination(ui::mouseKey(Qt::BackButton))));
    ui::GlobalKeys& global = w.app.preferences().globalKeys();
    global.setProvider(ui::GlobalKeys::Provider::x_server);
    global.want("talk", true);
    global.want("scene 1", true);
    global.want("toggle-mute", true);
    global.setProblems({{"scene 1", "Another app uses Ctrl+1. Choose another shortcut."}});
    ui::MidiAssignments& midi = w.app.context().midi;
    const auto assign = [&](MidiControl::Kind kind, int channel, int number, const ui::MidiTarget& target) {
        (void)midi.assign("Bench deck",
                          {kind, static_cast<std::uint8_t>(channel), static_cast<std::uint8_t>(number)},
                          MidiCoding::absolute, target);
    };
    assign(MidiControl::Kind::controller, 1, 21, {{}, "voice/gate/open_threshold"});
    assign(MidiControl::Kind::controller_14_bit, 1, 7, {{}, "*/strip/fader"});
    assign(MidiControl::Kind::note, 10, 36, {"toggle-mute", {}});
    assign(MidiControl::Kind::controller, 1, 64, {"talk", {}});
    assign(MidiControl::Kind::note, 10, 40, {"scene 1", {}});
    QTest::keyClick(&w.window, Qt::Key_F1);
    auto* dialog = w.find<ui::ShortcutsDialog>("keys_dialog");
    REQUIRE(dialog != nullptr);
    auto* save = w.window.findChild<ui::FlatButton*>("key toggle-headphones");
    QTest::mouseClick(save, Qt::LeftButton);
    QTest::keyClick(save, Qt::Key_S, Qt::ControlModifier);
    settle(0.1);
    REQUIRE(dialog->grab().save(QString::fromLocal8Bit(shots) + "/keys-dusk.png"));
}

TEST_CASE("shots: midi", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    ui::MidiAssignments& midi = w.app.context().midi;
    const MidiControl knob{MidiControl::Kind::controller, 1, 21}, other{MidiControl::Kind::controller, 1, 74};
    const ui::MidiTarget target{{}, "voice/gate/open_threshold"};
    midi.setDevices({"Bench deck"}, true);
    (void)midi.assign("Bench deck", knob, MidiCoding::absolute, target);
    (void)midi.assign("Foot pedals", other, MidiCoding::offset, target);
    w.strip().chainModel().focus("gate");
    settle(30.0);
    midi.edit(target);
    auto* dialog = w.window.findChild<ui::MidiDialog*>();
    REQUIRE(dialog != nullptr);
    dialog->adjustSize();
    QTest::mouseClick(dialog->findChild<ui::FlatButton*>("midi_learn"), Qt::LeftButton);
    settle(0.1);
    QPixmap picture = w.window.grab();
    QPainter p(&picture);
    p.drawPixmap(360, 180, dialog->grab());
    p.end();
    REQUIRE(picture.save(QString::fromLocal8Bit(qgetenv("REED_SHOTS")) + "/midi-dusk.png"));
}

TEST_CASE("shots: fit", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    const std::filesystem::path demo = REED_DEMO_DATA;
    w.strip().input().select({DeviceKind::sound_file, (demo / "sounds/apprentice.flac").string()});
    REQUIRE(Window::until([&] { return !w.strip().input().isOpening(); }));
    const SceneListing points = SceneLibrary(demo / "starting_points").list();
    Scene scene = find_scene(points.scenes, "Noisy room, close microphone")->scene;
    scene.name = "Lathe, from a friend";
    scene.colour = 3;
    w.app.scenes().takeIn({scene}, ConflictPolicy::keep_both);
    REQUIRE(w.app.scenes().finish());
    w.app.scenes().recall(scene.name);
    w.strip().chainModel().focus("gate");
    settle(30.0);
    REQUIRE(Window::until([&] { return w.app.adaptation().off(); }, 60.0));
    QTest::mouseClick(w.find<ui::FlatButton>("fit_button"), Qt::LeftButton);
    REQUIRE(Window::until([&] { return w.app.adaptation().fit().has_value(); }, 60.0));
    QTest::qWait(60);
    auto* popup = w.window.findChild<ui::AdaptationPopover*>();
    QPixmap picture = w.window.grab();
    QPainter p(&picture);
    p.drawPixmap(w.window.mapFromGlobal(popup->pos()), popup->grab());
    p.end();
    REQUIRE(picture.save(QString::fromLocal8Bit(qgetenv("REED_SHOTS")) + "/fit-dusk.png"));
}

TEST_CASE("shots: de-esser", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().addStage(*find_stage_kind("deesser"), 3);
    settle(9.0);
    shoot(w, "deesser-dusk");
}

TEST_CASE("shots: takes", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    const std::pair<const char*, const char*> takes[] = {{"Close to the microphone", "2026-11-23T20:15:02"},
                                                         {"From across the room", "2026-11-24T19:40:55"},
                                                         {"Shouted", "2026-11-25T21:05:33"}};
    for (const auto& [name, date] : takes)
        REQUIRE(w.app.takes()
                    .store()
                    .keep(mono(spoken_words()), 48000, {name, "Voice", "Bench microphone", date, ""})
                    .ok());
    settle(9.0);
    w.strip().chainModel().focus("gate");
    w.window.actions().act("takes");
    w.app.takes().keep(20.0);
    settle(3.0);
    w.app.takes().setPart(2.0, 7.0);
    w.window.actions().act("compare-plain");
    settle(5.0);
    w.window.messages()->dismiss();
    settle(2.0);
    shoot(w, "takes-dusk");
}

TEST_CASE("shots: tone", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().addStage(*find_stage_kind("tone"), 4);
    w.strip().chainModel().focus("tone");
    w.strip().chainModel().setValue("tone", 0, 2.5);
    w.strip().chainModel().setValue("tone", 1, 3.0);
    settle(9.0);
    shoot(w, "tone-dusk");
}

TEST_CASE("shots: pitch", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().addStage(*find_stage_kind("pitch"), 4);
    w.strip().chainModel().focus("pitch");
    w.strip().chainModel().setValue("pitch", 0, 4.0);
    w.strip().chainModel().setValue("pitch", 2, 60.0);
    w.strip().chainModel().setValue("pitch", 3, 3.0);
    settle(12.0);
    shoot(w, "pitch-dusk");
}

// To look at, not for docs/screenshots: REED_SHOTS=FOLDER reed_app_tests "[.sizes]"
TEST_CASE("shots: soundcheck", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    ui::SoundcheckModel& model = w.app.soundcheck();
    const auto step = [&](SoundcheckStep which) {
        model.record();
        REQUIRE(
            Window::until([&] { return model.state(which) == ui::SoundcheckModel::StepState::done; }, 60.0));
    };
    w.window.openSoundcheck(true);
    w.find<ui::FlatButton>("soundcheck_begin")->click();
    step(SoundcheckStep::silence);
    model.record();
    REQUIRE(Window::until([&] { return model.seconds() > 7.0; }));
    REQUIRE(Window::until(
        [&] { return model.state(SoundcheckStep::talk) == ui::SoundcheckModel::StepState::done; }, 60.0));
    for (const SoundcheckStep s : {SoundcheckStep::quiet, SoundcheckStep::loud, SoundcheckStep::noises})
        step(s);
    REQUIRE(Window::until([&] { return model.phase() == ui::SoundcheckModel::Phase::results; }, 240.0));
    settle(0.3);
    shoot(w, "soundcheck");
}

TEST_CASE("sizes: the window from its smallest to a large screen, in both themes", "[.sizes]") {
    TemporaryFolder folder;
    Window w(folder);
    settle(12.0);
    for (const auto& [width, height] : {std::pair{1024, 680}, {1280, 800}, {2560, 1440}}) {
        for (const char* theme : {"dawn", "dusk"}) {
            REQUIRE(w.window.actions().run("theme", theme).isEmpty());
            for (const char* stage : {"equalizer", "gain"}) {
                w.window.resize(width, height);
                w.strip().chainModel().focus(stage);
                settle(1.5);
                shoot(w, QString("%1-%2-%3").arg(width).arg(theme, stage).toStdString().c_str());
            }
        }
    }
}
