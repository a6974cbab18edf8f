// Scenes that others write too, and names that are taken.
#include <QLineEdit>
#include <QListWidget>
#include <QMessageBox>
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>

#include "actions/actions.h"
#include "app/window.h"
#include "base/file.h"

using namespace reed;
using namespace reed::test;

namespace {

/// The scene's file with another gain in it, written over in place as some editors do.
void edit_outside(const Window& w, const std::string& name, double gain) {
    const SceneEntry* entry = find_scene(w.app.scenes().scenes(), name);
    REQUIRE(entry != nullptr);
    Scene scene = entry->scene;
    scene.chain().stages[static_cast<size_t>(scene.chain().index_of("gain"))].set("gain", gain);
    std::ofstream(entry->path, std::ios::trunc) << write_scene(scene);
}

double saved_gain(const std::filesystem::path& path) {
    const auto scene = load_scene(path.string()).scene;
    REQUIRE(scene);
    return scene->chain().stages[static_cast<size_t>(scene->chain().index_of("gain"))].value("gain");
}

void set_gain(Window& w, double gain) {
    REQUIRE(w.strip().chainModel().setValue(
        "gain", static_cast<size_t>(w.strip().chainModel().stage("gain")->stage_kind().find("gain")), gain));
}

/// Bench talk gets a gain of 2.5 dB here, unsaved, and one of -7.5 dB in its file, whose path comes back.
std::filesystem::path change_both(Window& w) {
    w.app.scenes().recall("Bench talk");
    const auto path = find_scene(w.app.scenes().scenes(), "Bench talk")->path;
    set_gain(w, 2.5);
    edit_outside(w, "Bench talk", -7.5);
    return path;
}

/// Types a name into the field and answers the question that follows; returns how often it was asked.
int name_it(Window& w, const QString& name, const QString& answer) {
    auto* field = w.find<QLineEdit>("scene_name");
    field->clear();
    QTest::keyClicks(field, name);
    QString shown;
    const int asked = answering(
        w.window, "replace_question", answer, [&] { QTest::keyClick(field, Qt::Key_Return); }, &shown);
    if (asked > 0)
        CHECK_THAT(shown.toStdString(),
                   Catch::Contains("“Bench talk”") && Catch::Contains("“removed” folder"));
    return asked;
}

}  // namespace

TEST_CASE("a scene changed by another program is taken up where nothing of one's own is lost") {
    TemporaryFolder folder;
    Window w(folder);
    w.app.scenes().recall("Bench talk");
    const double before = w.value("gain", "gain");
    edit_outside(w, "Bench talk", -7.5);
    REQUIRE(Window::until([&] { return w.value("gain", "gain") == -7.5; }));
    CHECK_THAT(message(w), Catch::Contains("changed outside Dusky Reed"));
    CHECK_FALSE(w.app.scenes().changed());
    w.app.history().undo();
    CHECK(w.value("gain", "gain") == before);
    // Another scene than the one in work: only the list follows.
    edit_outside(w, "Evening quiet", 4.5);
    REQUIRE(Window::until([&] {
        const SceneEntry* e = find_scene(w.app.scenes().scenes(), "Evening quiet");
        return e != nullptr && saved_gain(e->path) == 4.5 && e->scene.chain().stages[0].value("gain") == 4.5;
    }));
    CHECK(w.value("gain", "gain") == before);
    // A new one appears, one that goes disappears.
    const auto count = w.app.scenes().scenes().size();
    Scene fresh = w.strip().chainModel().scene();
    fresh.name = "Sent by a friend";
    REQUIRE(write_file(folder.path("scenes/friend.json"), write_scene(fresh)).ok());
    REQUIRE(Window::until([&] { return w.app.scenes().scenes().size() == count + 1; }));
    CHECK(w.find<ui::FlatButton>("scene_Sent by a friend") != nullptr);
    std::filesystem::remove(folder.path("scenes/friend.json"));
    CHECK(Window::until([&] { return w.app.scenes().scenes().size() == count; }));
}

TEST_CASE("a scene changed by another program beside unsaved changes: both are kept") {
    TemporaryFolder folder;
    Window w(folder);
    const auto path = change_both(w);
    REQUIRE(
        Window::until([&] { return message(w).find("changed outside Dusky Reed") != std::string::npos; }));
    CHECK(w.value("gain", "gain") == 2.5);
    CHECK(saved_gain(path) == -7.5);
    CHECK(w.app.scenes().changed());
    REQUIRE(w.save());
    CHECK_THAT(message(w), Catch::Contains("is moved to") && Catch::Contains("removed"));
    CHECK(saved_gain(path) == 2.5);
    CHECK(saved_gain(folder.path("scenes/removed") / path.filename()) == -7.5);
    // Once: the next save is one's own again.
    set_gain(w, 3.0);
    REQUIRE(w.save());
    CHECK(std::distance(std::filesystem::directory_iterator(folder.path("scenes/removed")), {}) == 1);
}

TEST_CASE("saved before the change was noticed, the other one is kept as well") {
    TemporaryFolder folder;
    Window w(folder);
    const auto path = change_both(w);
    REQUIRE(w.save());
    CHECK(saved_gain(path) == 2.5);
    CHECK(saved_gain(folder.path("scenes/removed") / path.filename()) == -7.5);
}

TEST_CASE("a name that another scene has is asked about, and the other one is kept") {
    TemporaryFolder folder;
    Window w(folder);
    w.app.scenes().recall("Evening quiet");
    const auto bench = find_scene(w.app.scenes().scenes(), "Bench talk")->path;
    const double bench_gain = saved_gain(bench);
    set_gain(w, 2.5);
    QTest::keyClick(&w.window, Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(name_it(w, "BENCH talk", "Cancel") == 1);
    CHECK(w.strip().chainModel().scene().name == "Evening quiet");
    CHECK(saved_gain(bench) == bench_gain);
    CHECK(w.find<QLineEdit>("scene_name")->isVisible());
    CHECK(name_it(w, "BENCH talk", "Replace") == 1);
    REQUIRE(w.app.scenes().finish());
    CHECK(w.strip().chainModel().scene().name == "BENCH talk");
    CHECK(saved_gain(bench) == 2.5);
    CHECK(saved_gain(folder.path("scenes/removed") / bench.filename()) == bench_gain);
    CHECK(find_scene(w.app.scenes().scenes(), "Evening quiet") != nullptr);
    CHECK_FALSE(w.find<QLineEdit>("scene_name")->isVisible());
}

TEST_CASE("a scene's earlier states are told with what differs, and brought back unsaved") {
    TemporaryFolder folder;
    Window w(folder);
    REQUIRE(w.app.scenes().earlier().empty());
    const double first = w.value("gate", "hold");
    const auto set_and_save = [&](double hold) {
        REQUIRE(w.window.actions().run("set", QString("gate hold %1").arg(hold)).isEmpty());
        REQUIRE(w.save());
    };
    set_and_save(300);
    REQUIRE(w.save());  // nothing has changed since
    REQUIRE(w.app.scenes().earlier().size() == 1);
    set_and_save(400);
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    auto* menu = w.window.findChild<QMenu*>("earlier_menu");
    REQUIRE(menu != nullptr);
    CHECK(menu->isEnabled());
    menu->popup(QPoint(100, 100));
    REQUIRE(menu->actions().size() == 2);
    CHECK(menu->actions()[0]->text().contains("1 change"));
    CHECK(menu->actions()[0]->toolTip().contains("Hold 400 ms, was 300 ms"));
    menu->actions()[1]->trigger();
    CHECK(w.value("gate", "hold") == first);
    CHECK(w.app.scenes().changed());  // it is heard, and not saved
    w.app.history().undo();
    CHECK(w.value("gate", "hold") == 400.0);
    // They go with the name, and there are no more than twenty.
    REQUIRE(w.renameScene("Bench talk, late"));
    CHECK(w.app.scenes().earlier().size() == 2);
    for (int i = 0; i < 25; ++i) set_and_save(200 + 10 * i);
    const auto all = w.app.scenes().earlier();
    CHECK(all.size() == 20);
    CHECK(all.front().scene.chain().stages[0].id == w.strip().chainModel().chain().stages[0].id);
    CHECK(all.front()
              .scene.chain()
              .stages[static_cast<size_t>(all.front().scene.chain().index_of("gate"))]
              .value("hold") == 430.0);
}

TEST_CASE("a scene is found by typing") {
    TemporaryFolder folder;
    Window w(folder);
    for (const char* name : {"Storm on tin", "Storm, loud voice", "Market, two people"}) {
        REQUIRE(w.saveAs(name));
    }
    w.app.scenes().recall("Bench talk");
    w.window.activateWindow();
    QTest::keyClick(&w.window, Qt::Key_F, Qt::ControlModifier);
    auto* finder = w.window.findChild<QWidget*>("scene_finder");
    REQUIRE(finder != nullptr);
    auto* wanted = finder->findChild<QLineEdit*>("scene_wanted");
    auto* found = finder->findChild<QListWidget*>("scene_found");
    CHECK(found->currentItem()->text() == "Bench talk");
    QTest::keyClicks(wanted, "LOUD storm");
    REQUIRE(found->count() >= 1);
    CHECK(found->item(0)->text() == "Storm, loud voice");
    wanted->setText("storm");
    const int storms = found->count();
    REQUIRE(storms == 2);
    QTest::keyClick(wanted, Qt::Key_Down);
    const QString chosen = found->currentItem()->text();
    CHECK(chosen != found->item(0)->text());
    QTest::keyClick(wanted, Qt::Key_Return);
    CHECK(QString::fromStdString(w.app.mixer().name()) == chosen);
    // Nothing fits: Enter does nothing.
    QTest::keyClick(&w.window, Qt::Key_F, Qt::ControlModifier);
    for (auto* f : w.window.findChildren<QWidget*>("scene_finder")) {
        if (!f->isVisible()) continue;
        auto* field = f->findChild<QLineEdit*>("scene_wanted");
        QTest::keyClicks(field, "zzz");
        QTest::keyClick(field, Qt::Key_Return);
        QTest::keyClick(field, Qt::Key_Escape);
    }
    CHECK(QString::fromStdString(w.app.mixer().name()) == chosen);
}
