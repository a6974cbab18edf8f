// Scenes that others write too, and names that are taken.
#include <QLineEdit>
#include <QMessageBox>
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>

#include "app/window.h"
#include "base/file.h"

using namespace reed;
using namespace reed::test;

namespace {

/// The scene's file with another gain in it, written over in place as some editors do.
void edit_outside(const Window& w, const std::string& name, double gain) {
    const SceneEntry* entry = find_scene(w.session.shelf().scenes(), name);
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
    REQUIRE(w.session.strip().setValue(
        "gain", static_cast<size_t>(w.session.strip().stage("gain")->stage_kind().find("gain")), gain));
}

/// Bench talk gets a gain of 2.5 dB here, unsaved, and one of -7.5 dB in its file, whose path comes back.
std::filesystem::path change_both(Window& w) {
    w.session.shelf().recall("Bench talk");
    const auto path = find_scene(w.session.shelf().scenes(), "Bench talk")->path;
    set_gain(w, 2.5);
    edit_outside(w, "Bench talk", -7.5);
    return path;
}

std::string message(Window& w) {
    return w.window.messages()->text().toStdString();
}

/// Types a name into the field and answers the question that follows; returns how often it was asked.
int name_it(Window& w, const QString& name, const QString& answer) {
    auto* field = w.find<QLineEdit>("scene_name");
    field->clear();
    QTest::keyClicks(field, name);
    int asked = 0;
    QTimer answering;
    QObject::connect(&answering, &QTimer::timeout, [&] {
        auto* ask = w.window.findChild<QMessageBox*>("replace_question");
        if (ask == nullptr || !ask->isVisible()) return;
        ++asked;
        CHECK_THAT(ask->text().toStdString(), Catch::Contains("\"Bench talk\"") && Catch::Contains("kept"));
        for (QAbstractButton* b : ask->buttons()) {
            if (b->text() == answer) b->click();
        }
    });
    answering.start(20);
    QTest::keyClick(field, Qt::Key_Return);
    return asked;
}

}  // namespace

TEST_CASE("a scene changed by another program is taken up where nothing of one's own is lost") {
    TemporaryFolder folder;
    Window w(folder);
    w.session.shelf().recall("Bench talk");
    const double before = w.value("gain", "gain");
    edit_outside(w, "Bench talk", -7.5);
    REQUIRE(Window::until([&] { return w.value("gain", "gain") == -7.5; }));
    CHECK_THAT(message(w), Catch::Contains("changed by another program"));
    CHECK_FALSE(w.session.shelf().changed());
    w.session.strip().undo();
    CHECK(w.value("gain", "gain") == before);
    // Another scene than the one in work: only the list follows.
    edit_outside(w, "Evening quiet", 4.5);
    REQUIRE(Window::until([&] {
        const SceneEntry* e = find_scene(w.session.shelf().scenes(), "Evening quiet");
        return e != nullptr && saved_gain(e->path) == 4.5 && e->scene.chain().stages[0].value("gain") == 4.5;
    }));
    CHECK(w.value("gain", "gain") == before);
    // A new one appears, one that goes disappears.
    const auto count = w.session.shelf().scenes().size();
    Scene fresh = w.session.strip().scene();
    fresh.name = "Sent by a friend";
    REQUIRE(write_file(folder.path("scenes/friend.json"), write_scene(fresh)).ok());
    REQUIRE(Window::until([&] { return w.session.shelf().scenes().size() == count + 1; }));
    CHECK(w.find<ui::FlatButton>("scene_Sent by a friend") != nullptr);
    std::filesystem::remove(folder.path("scenes/friend.json"));
    CHECK(Window::until([&] { return w.session.shelf().scenes().size() == count; }));
}

TEST_CASE("a scene changed by another program beside unsaved changes: both are kept") {
    TemporaryFolder folder;
    Window w(folder);
    const auto path = change_both(w);
    REQUIRE(
        Window::until([&] { return message(w).find("changed by another program") != std::string::npos; }));
    CHECK(w.value("gain", "gain") == 2.5);
    CHECK(saved_gain(path) == -7.5);
    CHECK(w.session.shelf().changed());
    REQUIRE(w.session.shelf().save());
    CHECK_THAT(message(w), Catch::Contains("is kept in") && Catch::Contains("removed"));
    CHECK(saved_gain(path) == 2.5);
    CHECK(saved_gain(folder.path("scenes/removed") / path.filename()) == -7.5);
    // Once: the next save is one's own again.
    set_gain(w, 3.0);
    REQUIRE(w.session.shelf().save());
    CHECK(std::distance(std::filesystem::directory_iterator(folder.path("scenes/removed")), {}) == 1);
}

TEST_CASE("saved before the change was noticed, the other one is kept as well") {
    TemporaryFolder folder;
    Window w(folder);
    const auto path = change_both(w);
    REQUIRE(w.session.shelf().save());
    CHECK(saved_gain(path) == 2.5);
    CHECK(saved_gain(folder.path("scenes/removed") / path.filename()) == -7.5);
}

TEST_CASE("a name that another scene has is asked about, and the other one is kept") {
    TemporaryFolder folder;
    Window w(folder);
    w.session.shelf().recall("Evening quiet");
    const auto bench = find_scene(w.session.shelf().scenes(), "Bench talk")->path;
    const double bench_gain = saved_gain(bench);
    set_gain(w, 2.5);
    QTest::keyClick(&w.window, Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(name_it(w, "BENCH talk", "Choose another name") == 1);
    CHECK(w.session.strip().scene().name == "Evening quiet");
    CHECK(saved_gain(bench) == bench_gain);
    CHECK(w.find<QLineEdit>("scene_name")->isVisible());
    CHECK(name_it(w, "BENCH talk", "Replace it") == 1);
    CHECK(w.session.strip().scene().name == "BENCH talk");
    CHECK(saved_gain(bench) == 2.5);
    CHECK(saved_gain(folder.path("scenes/removed") / bench.filename()) == bench_gain);
    CHECK(find_scene(w.session.shelf().scenes(), "Evening quiet") != nullptr);
    CHECK_FALSE(w.find<QLineEdit>("scene_name")->isVisible());
}
