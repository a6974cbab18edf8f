// Scenes as their users handle them: in an order, with notes, from files, and for another voice.
#include <QDropEvent>
#include <QListWidget>
#include <QMessageBox>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QUrl>
#include <catch2/catch.hpp>
#include <filesystem>

#include "app/window.h"
#include "base/decibel.h"
#include "base/file.h"
#include "base/sound_file.h"
#include "deck/fit_popup.h"
#include "deck/scene_about.h"
#include "deck/scene_bar.h"
#include "scenes/fit.h"
#include "scenes/library.h"
#include "scenes/scene_archive.h"
#include "session/fit_model.h"
#include "session/recipes.h"

using namespace reed;
using namespace reed::test;

namespace {

std::vector<std::string> names(const Window& w) {
    std::vector<std::string> out;
    for (const SceneEntry& e : w.session.shelf().scenes()) out.push_back(e.scene.name);
    return out;
}

ui::FlatButton* scene(Window& w, const std::string& name) {
    return w.find<ui::FlatButton>(QString::fromStdString("scene_" + name).toUtf8().constData());
}

/// Files dropped onto the window; a question is answered by the button of this text. How many were asked.
int drop(Window& w, const QStringList& files, const QString& answer = {}) {
    QMimeData data;
    QList<QUrl> urls;
    for (const QString& f : files) urls << QUrl::fromLocalFile(f);
    data.setUrls(urls);
    int asked = 0;
    QTimer answering;
    QObject::connect(&answering, &QTimer::timeout, [&] {
        auto* ask = w.window.findChild<QMessageBox*>("clash_question");
        if (ask == nullptr || !ask->isVisible()) return;
        ++asked;
        for (QAbstractButton* b : ask->buttons()) {
            if (b->text() == answer) b->click();
        }
    });
    answering.start(20);
    QDragEnterEvent enter(QPoint(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(&w.window, &enter);
    if (!enter.isAccepted()) return -1;
    QDropEvent event(QPointF(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(&w.window, &event);
    CHECK(event.isAccepted());
    QTest::qWait(1);
    return asked;
}

}  // namespace

TEST_CASE("a scene is dragged to another place, and its key goes with the place") {
    TemporaryFolder folder;
    Window w(folder);
    const std::vector<std::string> before = names(w);
    REQUIRE(before.size() >= 4);
    w.session.shelf().recall(before[1]);
    ui::FlatButton* first = scene(w, before[0]);
    REQUIRE(first->isVisible());
    const QPoint at = first->rect().center();
    // A little shake is a click.
    QTest::mousePress(first, Qt::LeftButton, {}, at);
    QTest::mouseMove(first, at + QPoint(2, 0));
    QTest::mouseRelease(first, Qt::LeftButton, {}, at + QPoint(2, 0));
    CHECK(w.session.desk().name() == before[0]);
    w.session.shelf().recall(before[1]);
    first = scene(w, before[0]);
    QTest::mousePress(first, Qt::LeftButton, {}, at);
    // In the button's own coordinates, which go along with it.
    const int past = scene(w, before[2])->geometry().center().x() + 4;
    for (int i = 0; i < 100 && first->geometry().center().x() < past; ++i)
        QTest::mouseMove(first, at + QPoint(i == 0 ? 20 : 8, 0));
    QTest::mouseRelease(first, Qt::LeftButton, {}, at);
    REQUIRE(Window::until([&] { return names(w)[0] == before[1]; }));
    CHECK(names(w)[1] == before[2]);
    CHECK(names(w)[2] == before[0]);
    CHECK(w.session.desk().name() == before[1]);  // dragging recalls nothing
    w.window.activateWindow();
    QTest::keyClick(&w.window, Qt::Key_3, Qt::ControlModifier);
    QTest::keyClick(&w.window, Qt::Key_3);
    CHECK(Window::until([&] { return w.session.desk().name() == before[0]; }));
    // It stays so for the next start.
    CHECK(SceneLibrary(folder.path("scenes")).list().scenes[2].scene.name == before[0]);
}

TEST_CASE("note, group, colour and time of a scene are kept at once, beside unsaved changes") {
    TemporaryFolder folder;
    Window w(folder);
    w.session.shelf().recall("Bench talk");
    REQUIRE(w.session.strip().setValue("gain", 0, 2.5));
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    REQUIRE(w.choose("scene_popup", "Note, group, colour, time ..."));
    auto* about = w.find<ui::SceneAbout>("scene_about");
    REQUIRE(about != nullptr);
    auto* note = about->findChild<QPlainTextEdit*>("about_note");
    note->selectAll();
    QTest::keyClicks(note, "By the window.");
    QTest::keyClicks(about->findChild<QLineEdit*>("about_group"), "Daylight");
    QTest::mouseClick(about->findChild<ui::FlatButton*>("about_colour_3"), Qt::LeftButton);
    auto* fade = about->findChild<ui::ValueField*>("about_fade");
    fade->openEditor("2.5 s");
    QTest::keyClick(fade->findChild<QLineEdit*>(), Qt::Key_Return);
    CHECK(fade->value() == 2500.0);
    about->close();
    const auto saved = load_scene(folder.path("scenes/bench-talk.json"));
    REQUIRE(saved.scene);
    CHECK(saved.scene->note == "By the window.");
    CHECK(saved.scene->group == "Daylight");
    CHECK(saved.scene->colour == 3);
    CHECK(saved.scene->fade == 2.5);
    CHECK(saved.scene->chain().stages[0].value("gain") != 2.5);  // that one is not saved
    CHECK(w.value("gain", "gain") == 2.5);
    CHECK(w.session.shelf().changed());
    CHECK(w.session.shelf().about().note == "By the window.");
    // Found by its group, with others.
    QTest::keyClick(&w.window, Qt::Key_F, Qt::ControlModifier);
    auto* wanted = w.find<QLineEdit>("scene_wanted");
    REQUIRE(wanted != nullptr);
    QTest::keyClicks(wanted, "dayli");
    auto* list = w.find<QListWidget>("scene_found");
    REQUIRE(list->count() == 1);
    CHECK(list->item(0)->text().contains("Daylight"));
    QTest::keyClick(wanted, Qt::Key_Return);
    CHECK(w.session.desk().name() == "Bench talk");
    CHECK_FALSE(w.session.shelf().changed());
    // A step of undo from before takes nothing of it away, nor does saving then.
    REQUIRE(w.session.strip().setValue("gain", 0, 1.5));
    w.session.shelf().setAbout({"Newer note", "Daylight", 3, 2.5});
    w.session.strip().undo();
    CHECK(w.session.shelf().about().note == "Newer note");
    REQUIRE(w.session.strip().setValue("gain", 0, 1.0));
    REQUIRE(w.session.shelf().save());
    CHECK(load_scene(folder.path("scenes/bench-talk.json")).scene->note == "Newer note");
    // It goes over in its own time.
    const auto sounding = [&] { return w.session.engine().chain().sounding(); };
    // The newest chain is the one that sounds.
    const auto still = [&] {
        const ChainRunner& chain = w.session.engine().chain();
        bool newer = !chain.settled();
        for (std::uint32_t n = 1; n <= 5; ++n)  // builds that were dropped leave numbers out
            newer = newer || chain.stage_count(chain.sounding() + n) != 0;
        return !newer;
    };
    w.session.shelf().recall("Rain on tin");
    REQUIRE(Window::until(still, 20.0));
    const auto before = sounding();
    w.session.shelf().recall("Bench talk");
    QElapsedTimer since;
    since.start();
    REQUIRE(Window::until([&] { return sounding() != before; }, 20.0));
    CHECK(since.elapsed() >= 2400);
}

TEST_CASE("scenes are dropped onto the window as files and zips, and clashes are asked once") {
    TemporaryFolder folder;
    Window w(folder);
    const size_t count = names(w).size();
    Scene friends = w.session.desk().scene();
    friends.name = "Sent by a friend";
    Scene same = friends;
    same.name = "bench TALK";
    same.chain().stages.erase(same.chain().stages.begin());
    REQUIRE(write_file(folder.path("one.json"), write_scene(friends)).ok());
    REQUIRE(write_scene_archive(folder.path("two.zip"), {friends, same}).ok());
    const auto path = [&](const char* name) { return QString::fromStdString(folder.path(name)); };
    const std::string heard = w.session.desk().name();
    CHECK(drop(w, {path("one.json")}) == 0);
    CHECK(names(w).size() == count + 1);
    CHECK(w.session.desk().name() == heard);  // nothing on air is another one
    CHECK_THAT(message(w), Catch::Contains("Came in: \"Sent by a friend\""));
    CHECK(drop(w, {path("two.zip")}, "Leave them out") == 1);
    CHECK(names(w).size() == count + 1);
    CHECK(drop(w, {path("two.zip")}, "Keep both") == 1);
    CHECK(names(w).size() == count + 3);
    CHECK(w.session.shelf().find("bench TALK 2") != nullptr);
    CHECK(drop(w, {path("two.zip")}, "Replace") == 1);
    CHECK(names(w).size() == count + 3);
    CHECK(w.session.shelf().find("bench TALK") != nullptr);
    CHECK(std::filesystem::exists(folder.path("scenes/removed/bench-talk.json")));
    // What is none is told, and other files are not taken.
    REQUIRE(write_file(folder.path("odd.json"), "{\"tracks\":[]}").ok());
    REQUIRE(write_file(folder.path("odd.zip"), "PK nothing").ok());
    CHECK(drop(w, {path("odd.json")}) == 0);
    CHECK_THAT(message(w), Catch::Contains("odd.json") && Catch::Contains("not a scene file"));
    CHECK(drop(w, {path("odd.zip")}) == 0);
    CHECK(drop(w, {path("picture.png")}) == -1);
    CHECK(names(w).size() == count + 3);
    // And out again.
    REQUIRE(w.session.shelf().exportTo(path("all.zip")));
    CHECK(read_scene_archive(folder.path("all.zip")).value().scenes.size() == count + 3);
    REQUIRE(w.session.shelf().exportTo(path("one-out.json"), {"Sent by a friend"}));
    CHECK(load_scene(folder.path("one-out.json")).scene->name == "Sent by a friend");
    // The one in work goes out as it is heard.
    REQUIRE(w.session.strip().setValue("gain", 0, 3.5));
    REQUIRE(w.session.shelf().exportTo(path("heard.json"), {w.session.desk().name()}));
    CHECK(load_scene(folder.path("heard.json")).scene->chain().stages[0].value("gain") == 3.5);
    CHECK_FALSE(w.session.shelf().exportTo("/proc/nowhere/all.zip"));
}

TEST_CASE("a starting point is begun from unsaved, with what to do first") {
    TemporaryFolder folder;
    Window w(folder);
    const auto before = names(w);
    const Scene was = w.session.desk().scene();
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    auto* points = w.find<QMenu>("starting_points");
    REQUIRE(points != nullptr);
    emit points->aboutToShow();
    CHECK(points->actions().size() == 10);
    REQUIRE(w.choose("starting_points", "Boomy voice"));
    CHECK(w.session.desk().name() == "Boomy voice");
    CHECK(w.session.shelf().changed());
    CHECK(names(w) == before);
    CHECK_THAT(message(w), Catch::Contains("Not saved yet.") && Catch::Contains("First:"));
    // Saved and begun from again it is another one.
    REQUIRE(w.session.shelf().save());
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    const auto all = w.window.findChildren<QMenu*>("starting_points");
    emit all.back()->aboutToShow();
    for (QAction* a : all.back()->actions()) {
        if (a->text() == "Boomy voice") a->trigger();
    }
    CHECK(w.session.desk().name() == "Boomy voice 2");
    w.session.strip().undo();
    CHECK(w.session.desk().name() == "Boomy voice");
    w.session.strip().undo();
    CHECK(w.session.desk().scene() == was);
    // Every one of them holds a chain that is well set for what it was made for.
    for (const SceneEntry& e : SceneLibrary(std::string(REED_DEMO_DATA) + "/starting_points").list().scenes) {
        INFO(e.scene.name);
        CHECK_THAT(e.scene.note, Catch::Contains("First:"));
        for (const StripSpec& s : e.scene.desk.strips) {
            CHECK(chain_remarks(s.chain, s.role).empty());
            if (s.role != StripRole::voice) continue;
            const MadeFor& made = e.scene.made_for.at(s.id);
            CHECK(std::abs(made.loudness + 17.0) < 0.5);
            for (const StageSpec& stage : s.chain.stages) {
                if (stage.kind != "gate") continue;
                CHECK(stage.value("close_threshold") > made.stages.at(stage.id).room + 3.0);
                CHECK(stage.value("open_threshold") < made.stages.at(stage.id).quiet - 3.0);
            }
        }
    }
}

TEST_CASE("a scene made for another voice is fitted to this one by one click, and undone by one") {
    TemporaryFolder folder;
    // Words in a room, 14 dB below what the scene was made for.
    std::vector<float> voice = spoken_words(4);
    const auto room = noise(db_to_gain(-60.0), static_cast<double>(voice.size()) / 48000.0, 3);
    voice = mix(voice, room);
    auto sound = mono(voice);
    Window w(folder);
    w.session.shelf().recall("Bench talk");
    Scene made = w.session.desk().scene();
    const auto levels = measure_made_for(made.chain(), 0.0, sound, 48000);
    REQUIRE(levels);
    made.name = "A friend's";
    made.made_for["voice"] = *levels;
    REQUIRE(w.session.shelf().takeIn({made}, Clash::keep_both));
    for (float& x : sound[0]) x *= static_cast<float>(db_to_gain(-14.0));
    write_wav(folder.path("here.wav"), sound);
    w.session.devices().setInput({DeviceKind::sound_file, folder.path("here.wav")});
    REQUIRE(Window::until([&] { return !w.session.devices().opening(); }));
    auto* button = w.find<ui::FlatButton>("fit_button");
    CHECK_FALSE(button->isVisible());
    w.session.shelf().recall("A friend's");
    REQUIRE(Window::until([&] { return w.session.fit().off(); }, 60.0));
    REQUIRE(Window::until([&] { return w.session.seat().said()->written() > 30 * 48000; }, 60.0));
    CHECK(button->isVisible());
    QTest::mouseClick(button, Qt::LeftButton);
    auto* popup = w.find<ui::FitPopup>("fit_popup");
    REQUIRE(popup != nullptr);
    REQUIRE(Window::until([&] { return w.session.fit().fit().has_value(); }, 60.0));
    CHECK(popup->findChild<QLabel*>("fit_state")->text().startsWith("Made for a voice at"));
    const auto changes = w.session.fit().fit()->changes;
    REQUIRE_FALSE(changes.empty());
    CHECK(changes[0].stage == "gain");
    CHECK(changes[0].to == Approx(changes[0].from + 14.0).margin(3.0));
    const Scene before = w.session.desk().scene();
    // One alone, then all of the others.
    QTest::mouseClick(popup->findChild<ui::FlatButton*>("fit_0"), Qt::LeftButton);
    CHECK(w.value("gain", "gain") == changes[0].to);
    w.session.strip().undo();
    CHECK(w.session.desk().scene() == before);
    if (auto* open = w.find<ui::FitPopup>("fit_popup"); open != nullptr) open->close();
    QTest::mouseClick(button, Qt::LeftButton);
    REQUIRE(Window::until([&] { return w.session.fit().fit().has_value(); }, 60.0));
    popup = w.find<ui::FitPopup>("fit_popup");
    const auto all = w.session.fit().fit()->changes;
    QPointer<ui::FlatButton> make = popup->findChild<ui::FlatButton*>(all.size() > 1 ? "fit_all" : "fit_0");
    QTest::mouseClick(make, Qt::LeftButton);
    CHECK(w.session.desk().scene().chain() == with_changes(before.chain(), all));
    // The offer is over: the scene in work is made for what is here.
    REQUIRE(Window::until([&] { return !w.session.fit().off(); }, 60.0));
    CHECK(w.session.fit().madeFor()->in.usual == Approx(levels->in.usual - 14.0).margin(3.0));
    w.session.strip().undo();
    CHECK(w.session.desk().scene() == before);
    // Saved, it notes what it is made for.
    REQUIRE(w.session.shelf().saveAs("Mine now"));
    REQUIRE(Window::until(
        [&] {
            const auto r = load_scene(folder.path("scenes/mine-now.json"));
            return r.scene && r.scene->made_for.contains("voice") &&
                   std::abs(r.scene->made_for.at("voice").in.usual - levels->in.usual + 14.0) < 3.0;
        },
        60.0));
    CHECK_FALSE(w.session.shelf().changed());
}

TEST_CASE("closing what fits a scene ends its work, and what can't be worked out says why") {
    TemporaryFolder folder;
    Window w(folder);
    ui::FitModel& fit = w.session.fit();
    QString why;
    QObject::connect(&fit, &ui::FitModel::failed, [&](const QString& words) { why = words; });
    fit.look();
    CHECK(why.contains("does not say which voice"));
    Scene made = w.session.desk().scene();
    made.made_for["voice"] = {{-50, -30, -22, -16}, {{"gate", {-60, -30, -22, -16}}}, -20};
    w.session.desk().setAbout(made);
    REQUIRE(Window::until([&] { return w.session.seat().said()->written() > 6 * 48000; }, 60.0));
    why.clear();
    fit.look();
    CHECK(fit.looking());
    fit.cancel();
    CHECK_FALSE(fit.looking());
    QTest::qWait(50);
    CHECK(why.isEmpty());
    CHECK_FALSE(fit.fit());
}

TEST_CASE("recipes set a stage by name, with thresholds where voice and room are") {
    TemporaryFolder folder;
    Window w(folder);
    const auto press = [&](const QString& entry) {
        for (auto* old : w.window.findChildren<QMenu*>("recipe_menu")) old->setObjectName({});
        QTest::mouseClick(w.find<ui::FlatButton>("recipes_button"), Qt::LeftButton);
        return w.choose("recipe_menu", entry);
    };
    w.session.strip().focus("gate");
    REQUIRE(Window::until(
        [&] {
            const auto& taps = w.session.levels().taps;
            return w.session.levelsFit() && taps[2].voice_known && taps[2].room_known;
        },
        60.0));
    const Scene before = w.session.desk().scene();
    REQUIRE(press("Softly between words"));
    CHECK(w.value("gate", "hold") == 240.0);
    CHECK(w.value("gate", "range") == -10.0);
    // It was kept for a room at -46 dBFS; here the gate hears what the suppression leaves of one.
    const TapLevels& tap = w.session.levels().taps[2];
    CHECK(w.value("gate", "close_threshold") > tap.room);
    CHECK(w.value("gate", "close_threshold") < -46.0);
    CHECK(w.value("gate", "open_threshold") < tap.voice_low + 3.0);
    CHECK(w.session.strip().history().undoLabel() == "Gate: recipe Softly between words");
    CHECK_THAT(message(w), Catch::Contains("lengthen the hold"));
    w.session.strip().undo();
    CHECK(w.session.desk().scene() == before);
    // One of one's own, into another scene.
    REQUIRE(w.session.strip().setValue("gate", static_cast<size_t>(find_stage_kind("gate")->find("hold")),
                                       333.0));
    const auto keep = [&](const char* name, const char* note) {
        REQUIRE(press("Keep these settings"));
        auto* panel = w.find<QWidget>("keep_recipe");
        REQUIRE(panel != nullptr);
        QTest::keyClicks(panel->findChild<QLineEdit*>("recipe_name"), name);
        QTest::keyClicks(panel->findChild<QLineEdit*>("recipe_note"), note);
        QTest::keyClick(panel->findChild<QLineEdit*>("recipe_note"), Qt::Key_Return);
        const bool done = !panel->isVisible();
        panel->close();
        panel->setObjectName({});
        return done;
    };
    CHECK(keep("Bench gate", "The lathe stays behind."));
    CHECK(std::filesystem::exists(folder.path("recipes/bench-gate.json")));
    CHECK_FALSE(keep("", ""));
    w.session.shelf().recall("Bench talk");
    CHECK(w.value("gate", "hold") != 333.0);
    const auto gates = w.session.recipes().of("gate");
    REQUIRE(gates.size() == 3);
    CHECK(gates[0].name == "Bench gate");
    CHECK_FALSE(gates[0].ours);
    CHECK(gates[1].ours);
    REQUIRE(press("Bench gate"));
    CHECK(w.value("gate", "hold") == 333.0);
    CHECK_THAT(message(w), Catch::Contains("The lathe stays behind."));
    // The name is taken by another kind of stage; the same kind makes way and is kept.
    w.session.strip().focus("compressor");
    CHECK_FALSE(keep("bench GATE", ""));
    CHECK_THAT(message(w), Catch::Contains("for another stage"));
    w.session.strip().focus("gate");
    CHECK(keep("bench gate", "Newer"));
    CHECK(w.session.recipes().of("gate").size() == 3);
    CHECK(std::filesystem::exists(folder.path("recipes/removed/bench-gate.json")));
    w.session.recipes().remove("Bench gate");
    CHECK(w.session.recipes().of("gate").size() == 2);
    // Ours are for stages that there are, each with what to listen for.
    size_t ours = 0;
    for (const StageKind* kind : stage_kinds()) {
        for (const ui::Recipe& r : w.session.recipes().of(std::string(kind->id))) {
            ++ours;
            CHECK(r.note.size() > 20);
            CHECK(r.made.has_value());
        }
    }
    CHECK(ours == 16);
}
