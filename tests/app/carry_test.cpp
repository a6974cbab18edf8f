// Scenes as their users handle them: in an order, with notes, from files, and for another voice.
#include <QClipboard>
#include <QDropEvent>
#include <QGuiApplication>
#include <QListWidget>
#include <QMessageBox>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QUrl>
#include <catch2/catch.hpp>
#include <filesystem>

#include "app/window.h"
#include "base/file.h"
#include "deck/scene_bar.h"
#include "deck/scene_properties_popover.h"
#include "scenes/library.h"
#include "scenes/scene_archive.h"

using namespace reed;
using namespace reed::test;

namespace {

std::vector<std::string> names(const Window& w) {
    std::vector<std::string> out;
    for (const SceneEntry& e : w.app.scenes().scenes()) out.push_back(e.scene.name);
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
    QDragEnterEvent enter(QPoint(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(&w.window, &enter);
    if (!enter.isAccepted()) return -1;
    return answering(w.window, "clash_question", answer, [&] {
        QDropEvent event(QPointF(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QCoreApplication::sendEvent(&w.window, &event);
        CHECK(event.isAccepted());
        QTest::qWait(1);
        CHECK(w.app.scenes().finish());
    });
}

}  // namespace

TEST_CASE("a scene is dragged to another place, and its key goes with the place") {
    TemporaryFolder folder;
    Window w(folder);
    const std::vector<std::string> before = names(w);
    REQUIRE(before.size() >= 4);
    w.app.scenes().recall(before[1]);
    ui::FlatButton* first = scene(w, before[0]);
    REQUIRE(first->isVisible());
    const QPoint at = first->rect().center();
    // A little shake is a click.
    QTest::mousePress(first, Qt::LeftButton, {}, at);
    QTest::mouseMove(first, at + QPoint(2, 0));
    QTest::mouseRelease(first, Qt::LeftButton, {}, at + QPoint(2, 0));
    CHECK(w.app.mixer().name() == before[0]);
    w.app.scenes().recall(before[1]);
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
    CHECK(w.app.mixer().name() == before[1]);  // dragging recalls nothing
    w.window.activateWindow();
    QTest::keyClick(&w.window, Qt::Key_3, Qt::ControlModifier);
    QTest::keyClick(&w.window, Qt::Key_3);
    CHECK(Window::until([&] { return w.app.mixer().name() == before[0]; }));
    // It stays so for the next start.
    REQUIRE(w.app.scenes().finish());
    CHECK(SceneLibrary(folder.path("scenes")).list().scenes[2].scene.name == before[0]);
}

TEST_CASE("note, group, colour and time of a scene are kept at once, beside unsaved changes") {
    TemporaryFolder folder;
    Window w(folder);
    w.app.scenes().recall("Bench talk");
    REQUIRE(w.strip().chainModel().setValue("gain", 0, 2.5));
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    REQUIRE(w.choose("scene_popup", "Properties…"));
    auto* about = w.find<ui::ScenePropertiesPopover>("scene_about");
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
    REQUIRE(w.app.scenes().finish());
    const auto saved = load_scene(folder.path("scenes/bench-talk.json"));
    REQUIRE(saved.scene);
    CHECK(saved.scene->note == "By the window.");
    CHECK(saved.scene->group == "Daylight");
    CHECK(saved.scene->colour == 3);
    CHECK(saved.scene->fade == 2.5);
    CHECK(saved.scene->chain().stages[0].value("gain") != 2.5);  // that one is not saved
    CHECK(w.value("gain", "gain") == 2.5);
    CHECK(w.app.scenes().changed());
    CHECK(w.app.scenes().about().note == "By the window.");
    // Found by its group, with others.
    QTest::keyClick(&w.window, Qt::Key_F, Qt::ControlModifier);
    auto* wanted = w.find<QLineEdit>("scene_wanted");
    REQUIRE(wanted != nullptr);
    QTest::keyClicks(wanted, "dayli");
    auto* list = w.find<QListWidget>("scene_found");
    REQUIRE(list->count() == 2);
    CHECK(list->item(0)->text() == "Daylight");
    CHECK(list->currentItem()->text() == "Bench talk");
    QTest::keyClick(wanted, Qt::Key_Return);
    CHECK(w.app.mixer().name() == "Bench talk");
    CHECK_FALSE(w.app.scenes().changed());
    // A step of undo from before takes nothing of it away, nor does saving then.
    REQUIRE(w.strip().chainModel().setValue("gain", 0, 1.5));
    w.app.scenes().setAbout({"Newer note", "Daylight", 3, 2.5});
    w.app.history().undo();
    CHECK(w.app.scenes().about().note == "Newer note");
    REQUIRE(w.strip().chainModel().setValue("gain", 0, 1.0));
    REQUIRE(w.save());
    CHECK(load_scene(folder.path("scenes/bench-talk.json")).scene->note == "Newer note");
    // It goes over in its own time.
    const auto sounding = [&] { return w.strip().engine().chain().sounding(); };
    // The newest chain is the one that sounds.
    const auto still = [&] {
        const ChainRunner& chain = w.strip().engine().chain();
        bool newer = !chain.settled();
        for (std::uint32_t n = 1; n <= 5; ++n)  // builds that were dropped leave numbers out
            newer = newer || chain.stage_count(chain.sounding() + n) != 0;
        return !newer;
    };
    w.app.scenes().recall("Rain on tin");
    REQUIRE(Window::until(still, 20.0));
    const auto before = sounding();
    w.app.scenes().recall("Bench talk");
    QElapsedTimer since;
    since.start();
    REQUIRE(Window::until([&] { return sounding() != before; }, 20.0));
    CHECK(since.elapsed() >= 2400);
}

TEST_CASE("scenes are dropped onto the window as files and zips, and clashes are asked once") {
    TemporaryFolder folder;
    Window w(folder);
    const size_t count = names(w).size();
    Scene friends = w.app.mixer().scene();
    friends.name = "Sent by a friend";
    Scene same = friends;
    same.name = "bench TALK";
    same.chain().stages.erase(same.chain().stages.begin());
    REQUIRE(write_file(folder.path("one.json"), write_scene(friends)).ok());
    REQUIRE(write_scene_archive(folder.path("two.zip"), {friends, same}).ok());
    const auto path = [&](const char* name) { return QString::fromStdString(folder.path(name)); };
    const std::string heard = w.app.mixer().name();
    CHECK(drop(w, {path("one.json")}) == 0);
    CHECK(names(w).size() == count + 1);
    CHECK(w.app.mixer().name() == heard);  // nothing on air is another one
    CHECK_THAT(message(w), Catch::Contains("Imported “Sent by a friend”"));
    CHECK(drop(w, {path("two.zip")}, "Skip") == 1);
    CHECK(names(w).size() == count + 1);
    CHECK(drop(w, {path("two.zip")}, "Keep both") == 1);
    CHECK(names(w).size() == count + 3);
    CHECK(w.app.scenes().find("bench TALK 2") != nullptr);
    CHECK(drop(w, {path("two.zip")}, "Replace") == 1);
    CHECK(names(w).size() == count + 3);
    CHECK(w.app.scenes().find("bench TALK") != nullptr);
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
    w.app.scenes().exportTo(path("all.zip"));
    REQUIRE(w.app.scenes().finish());
    CHECK(read_scene_archive(folder.path("all.zip")).value().scenes.size() == count + 3);
    w.app.scenes().exportTo(path("one-out.json"), {"Sent by a friend"});
    REQUIRE(w.app.scenes().finish());
    CHECK(load_scene(folder.path("one-out.json")).scene->name == "Sent by a friend");
    // The one in work goes out as it is heard.
    REQUIRE(w.strip().chainModel().setValue("gain", 0, 3.5));
    w.app.scenes().exportTo(path("heard.json"), {w.app.mixer().name()});
    REQUIRE(w.app.scenes().finish());
    CHECK(load_scene(folder.path("heard.json")).scene->chain().stages[0].value("gain") == 3.5);
    w.app.scenes().exportTo("/proc/nowhere/all.zip");
    CHECK_FALSE(w.app.scenes().finish());
}

TEST_CASE("a scene goes out as text and comes in from it, shown before it does") {
    TemporaryFolder folder;
    Window w(folder);
    w.app.scenes().recall("Bench talk");
    REQUIRE(w.strip().chainModel().setValue("gain", 0, 4.5));
    const auto menu = [&](const QString& entry) {
        for (auto* old : w.window.findChildren<QMenu*>("scene_popup")) old->setObjectName({});
        QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
        REQUIRE(w.choose("scene_popup", entry));
    };
    menu("Copy to clipboard");
    QString text = QGuiApplication::clipboard()->text();
    CHECK(read_scene(text.toStdString()).scene->chain().stages[0].value("gain") == 4.5);
    text.replace("\"Bench talk\"", "\"From the chat\"");
    const size_t count = names(w).size();
    QString shown;
    const auto paste = [&](const QString& what, const QString& answer) {
        QGuiApplication::clipboard()->setText(what);
        answering(
            w.window, "paste_question", answer, [&] { menu("Import from clipboard"); }, &shown);
        CHECK(w.app.scenes().finish());
    };
    paste("  \n" + text + "\n ", "Cancel");
    CHECK(names(w).size() == count);
    CHECK(shown.contains("“From the chat”"));
    CHECK(shown.contains("Voice: Gain, Suppression, Gate"));
    paste(text, "Import");
    REQUIRE(names(w).size() == count + 1);
    CHECK(w.app.scenes().find("From the chat")->chain().stages[0].value("gain") == 4.5);
    CHECK(w.app.mixer().name() == "Bench talk");
    shown.clear();
    paste(text.left(text.size() / 2), "Import");
    CHECK(shown.isEmpty());
    CHECK_THAT(message(w), Catch::Contains("doesn't contain a scene") && Catch::Contains("not valid JSON"));
    CHECK(names(w).size() == count + 1);
}

TEST_CASE("a starting point is begun from unsaved, with what to do first") {
    TemporaryFolder folder;
    Window w(folder);
    const auto before = names(w);
    const Scene was = w.app.mixer().scene();
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    auto* points = w.find<QMenu>("starting_points");
    REQUIRE(points != nullptr);
    emit points->aboutToShow();
    CHECK(points->actions().size() == 10);
    REQUIRE(w.choose("starting_points", "Boomy voice"));
    CHECK(w.app.mixer().name() == "Boomy voice");
    CHECK(w.app.scenes().changed());
    CHECK(names(w) == before);
    CHECK_THAT(message(w), Catch::Contains("Not saved yet.") && Catch::Contains("First step:"));
    // Saved and begun from again it is another one.
    REQUIRE(w.save());
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    const auto all = w.window.findChildren<QMenu*>("starting_points");
    emit all.back()->aboutToShow();
    for (QAction* a : all.back()->actions()) {
        if (a->text() == "Boomy voice") a->trigger();
    }
    CHECK(w.app.mixer().name() == "Boomy voice 2");
    w.app.history().undo();
    CHECK(w.app.mixer().name() == "Boomy voice");
    w.app.history().undo();
    CHECK(w.app.mixer().scene() == was);
    // Every one of them holds a chain that is well set for what it was made for.
    for (const SceneEntry& e : SceneLibrary(std::string(REED_DEMO_DATA) + "/starting_points").list().scenes) {
        INFO(e.scene.name);
        CHECK_THAT(e.scene.note, Catch::Contains("First step:"));
        for (const StripSpec& s : e.scene.desk.strips) {
            CHECK(chain_warnings(s.chain, s.role).empty());
            if (s.role != StripRole::voice) continue;
            const ReferenceLevels& made = e.scene.made_for.at(s.id);
            CHECK(std::abs(made.loudness + 16.0) < 0.5);
            for (const StageSpec& stage : s.chain.stages) {
                if (stage.kind != "gate") continue;
                CHECK(stage.value("close_threshold") > made.stages.at(stage.id).room + 3.0);
                CHECK(stage.value("open_threshold") < made.stages.at(stage.id).quiet - 3.0);
            }
        }
    }
}
