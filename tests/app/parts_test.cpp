// Parts of the window by themselves: undo, messages, fields, recorder.
#include <catch2/catch.hpp>

#include "app/window.h"
#include "base/file.h"
#include "deck/scene_bar.h"
#include "session/feed_recorder.h"
#include "session/history.h"

using namespace reed;
using namespace reed::test;

namespace {
Scene named(const char* name) {
    Scene s;
    s.name = name;
    return s;
}
}  // namespace

TEST_CASE("changes with one key in a row are one step of undo, others are not") {
    ui::History h;
    CHECK_FALSE(h.canUndo());
    h.push(named("a"), "first", "gate/hold");
    h.push(named("b"), "second", "gate/hold");
    h.push(named("c"), "third", "gate/range");
    CHECK(h.undoLabel() == "third");
    CHECK(h.undo(named("d")).name == "c");
    CHECK(h.redoLabel() == "third");
    CHECK(h.undo(named("c")).name == "a");  // both drags of hold at once
    CHECK_FALSE(h.canUndo());
    CHECK(h.redo(named("a")).name == "c");
    CHECK(h.redo(named("c")).name == "d");
    CHECK_FALSE(h.canRedo());
    // A step that was closed stays by itself; a new change forgets what could be redone.
    h.push(named("e"), "x", "k");
    h.closeStep();
    h.push(named("f"), "y", "k");
    CHECK(h.undo(named("g")).name == "f");
    CHECK(h.undo(named("f")).name == "e");
    h.push(named("h"), "z", {});
    CHECK_FALSE(h.canRedo());
}

TEST_CASE("errors wait to be read, other news does not cover them") {
    ui::MessageBar bar;
    bar.resize(600, 40);
    bar.tell("saved", false);
    CHECK(bar.text() == "saved");
    bar.tell("first trouble", true);
    CHECK(bar.text() == "first trouble");
    bar.tell("saved again", false);
    CHECK(bar.text() == "first trouble");
    bar.tell("second trouble", true);
    bar.tell("second trouble", true);
    QTest::mouseClick(&bar, Qt::LeftButton);
    CHECK(bar.text() == "second trouble");
    bar.dismiss();
    CHECK(bar.text().isEmpty());
    CHECK_FALSE(bar.isVisible());
    CHECK(bar.heightFor(300) <= bar.heightFor(200));
}

TEST_CASE("a field tells values inside its range only, and shows what it is told") {
    const StageKind* kind = find_stage_kind("compressor");
    const Parameter& ratio = kind->parameters[static_cast<size_t>(kind->find("ratio"))];
    ui::ValueField field(ratio);
    field.resize(200, 36);
    field.show();
    double told = -1.0;
    int refused = 0;
    QObject::connect(&field, &ui::ValueField::valueWanted, [&](double v) {
        told = v;
        field.setValue(v);
    });
    QObject::connect(&field, &ui::ValueField::refused, [&] { ++refused; });
    for (int i = 0; i < 60; ++i) Window::wheel(&field, {10, 10}, 3);
    CHECK(told == 20.0);
    QTest::keyClick(&field, Qt::Key_Home);
    CHECK(told == 1.0);
    for (const char* bad : {"0", "21", "abc", "1e9", "-4"}) {
        field.openEditor(bad);
        QTest::keyClick(field.findChild<QLineEdit*>("value_editor"), Qt::Key_Return);
    }
    CHECK(refused == 5);
    CHECK(told == 1.0);
    field.openEditor("3,5:1");
    QTest::keyClick(field.findChild<QLineEdit*>("value_editor"), Qt::Key_Return);
    CHECK(told == 3.5);
    CHECK(field.complaint().isEmpty());
    CHECK(field.accessibleName() == "Ratio");
    CHECK(field.accessibleDescription().startsWith("3.5:1"));
    QTest::mouseClick(&field, Qt::LeftButton, Qt::ControlModifier, {10, 10});
    CHECK(told == ratio.default_value);
}

TEST_CASE("a choice is made from its menu and by keys") {
    const StageKind* kind = find_stage_kind("compressor");
    ui::ValueField field(kind->parameters[static_cast<size_t>(kind->find("detection"))]);
    field.resize(200, 36);
    field.show();
    double told = -1.0;
    QObject::connect(&field, &ui::ValueField::valueWanted, [&](double v) {
        told = v;
        field.setValue(v);
    });
    QTest::mouseClick(&field, Qt::LeftButton, {}, {10, 10});
    auto* menu = field.findChild<QMenu*>();
    REQUIRE(menu != nullptr);
    REQUIRE(menu->actions().size() == 2);
    menu->actions()[0]->trigger();
    menu->close();
    CHECK(told == 0.0);
    QTest::keyClick(&field, Qt::Key_Right);
    CHECK(told == 1.0);
    QTest::keyClick(&field, Qt::Key_Right);
    CHECK(told == 1.0);
}

TEST_CASE("the recorder writes what goes out, and a place that can't be written is told") {
    TemporaryFolder folder;
    Window w(folder);
    ui::FeedRecorder recorder(w.session.engine());
    CHECK_FALSE(recorder.start(folder.path("no/folder/x.wav")).ok());
    REQUIRE(recorder.start(folder.path("feed.flac")).ok());
    QTest::qWait(700);
    REQUIRE(recorder.finish().ok());
    SoundInfo info;
    const auto sound = read_sound(folder.path("feed.flac"), &info);
    REQUIRE(sound.ok());
    CHECK(info.sample_rate == 48000);
    CHECK(info.frames > 48000 / 4);
}

TEST_CASE("a scene file that can't be read is named at the start, and stays") {
    TemporaryFolder folder;
    { Window first(folder); }
    const std::string bad = folder.path("scenes/broken.json");
    REQUIRE(write_file(bad, "{ no scene").ok());
    Window w(folder);
    CHECK_THAT(w.window.messages()->text().toStdString(),
               Catch::Contains("broken.json") && Catch::Contains("left alone"));
    CHECK(w.session.scenes().size() == 5);
    CHECK(read_file(bad, 100).value() == "{ no scene");
}

TEST_CASE("scenes that do not fit the bar are in its menu") {
    TemporaryFolder folder;
    Window w(folder);
    for (int i = 0; i < 12; ++i)
        REQUIRE(w.session.saveSceneAs(QString("Evening with a rather long name %1").arg(i)));
    QTest::qWait(30);
    auto* bar = w.window.sceneBar();
    for (auto* b : bar->findChildren<ui::FlatButton*>()) {
        if (b->isVisible()) CHECK(bar->rect().contains(b->geometry()));
    }
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    REQUIRE(w.choose("scene_popup", "Evening with a rather long name 7"));
    CHECK(w.session.scene().name == "Evening with a rather long name 7");
}
