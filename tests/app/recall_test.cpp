// Scenes kept without waiting for the disk, under keys of their own, in groups, and recalled by themselves.
#include <QLineEdit>
#include <QListWidget>
#include <QPointer>
#include <future>

#include "actions/actions.h"
#include "actions/shortcuts_dialog.h"
#include "app/window.h"
#include "deck/auto_recall_popover.h"
#include "deck/scene_bar.h"
#include "model/scenes/auto_recall_rules.h"
#include "model/takes/takes_model.h"

using namespace reed;
using namespace reed::test;
using When = RecallRule::When;

namespace {

/// A disk that hangs until it is let go.
struct HangingDisk {
    std::promise<void> go;
    bool hangs = true;
    explicit HangingDisk(Window& w) {
        w.app.scenes().errands().run(
            &w.window, [until = go.get_future().share()] { return until.wait(), 0; }, [](int) {});
    }
    void letGo() {
        if (std::exchange(hangs, false)) go.set_value();
    }
    ~HangingDisk() { letGo(); }
};

void set_hold(Window& w, double ms) {
    REQUIRE(w.window.actions().run("set", QString("gate hold %1").arg(ms)).isEmpty());
}

double saved_hold(const TemporaryFolder& folder, const char* file) {
    const auto scene = load_scene(folder.path(std::string("scenes/") + file)).scene;
    REQUIRE(scene);
    return scene->chain().stages[static_cast<size_t>(scene->chain().index_of("gate"))].value("hold");
}

void press(Window& w, Qt::Key key, Qt::KeyboardModifiers with) {
    QTest::keyClick(w.window.diagram(), key, with);
}

PipeWireSnapshot playing(const std::vector<std::string>& programs,
                         const std::vector<std::string>& devices = {}) {
    PipeWireSnapshot out;
    out.connected = true;
    for (const auto& name : programs) out.programs.push_back({1, name, "", ""});
    for (const auto& name : devices) out.sources.push_back({.name = name, .title = "Desk mic"});
    return out;
}

using Names = std::set<std::string>;

}  // namespace

TEST_CASE("saving waits for no disk, and what was saved is what is recalled meanwhile") {
    TemporaryFolder folder;
    Window w(folder);
    const double before = saved_hold(folder, "bench-talk.json");
    set_hold(w, 321);
    auto* button = w.find<ui::FlatButton>("save_button");
    {
        HangingDisk disk(w);
        press(w, Qt::Key_S, Qt::ControlModifier);
        CHECK(button->text() == "Saving");
        CHECK_FALSE(button->isEnabled());
        CHECK(saved_hold(folder, "bench-talk.json") == before);
        // The window goes on: another scene, and back to what was saved.
        w.app.scenes().recall("Evening quiet");
        w.app.scenes().recall("Bench talk");
        CHECK(w.value("gate", "hold") == 321.0);
        // Under another name, in another place, with a note, one removed: the list has it at once.
        REQUIRE(w.app.scenes().rename("Bench talk, late"));
        w.app.scenes().setAbout({"By the window", "", 2, 1.0});
        w.app.scenes().moveTo("Bench talk, late", 0);
        w.app.scenes().remove("Rain on tin");
        CHECK(w.app.scenes().scenes().front().scene.name == "Bench talk, late");
        CHECK(w.app.scenes().scenes().front().scene.note == "By the window");
        CHECK(w.app.scenes().find("Rain on tin") == nullptr);
        CHECK(w.app.scenes().find("Bench talk") == nullptr);
        CHECK(std::filesystem::exists(folder.path("scenes/rain-on-tin.json")));
        CHECK(w.told().find("Saved") == std::string::npos);
        disk.letGo();
        REQUIRE(w.app.scenes().finish());
    }
    CHECK(button->text() == "Saved");
    {
        // What the disk says of a first one is older than a second one that it has not come to yet.
        int saved = 0;
        QObject here;
        QObject::connect(&w.app.scenes(), &ui::SceneManager::saved, &here, [&saved] { ++saved; });
        set_hold(w, 350);
        REQUIRE(w.app.scenes().save());
        HangingDisk disk(w);
        set_hold(w, 321);
        REQUIRE(w.app.scenes().save());
        REQUIRE(Window::until([&] { return saved == 1; }));
        CHECK(saved_hold(folder, "bench-talk-late.json") == 350.0);
        w.app.scenes().recall("Evening quiet");
        w.app.scenes().recall("Bench talk, late");
        CHECK(w.value("gate", "hold") == 321.0);
        disk.letGo();
        REQUIRE(w.app.scenes().finish());
    }
    CHECK_FALSE(std::filesystem::exists(folder.path("scenes/bench-talk.json")));
    CHECK_FALSE(std::filesystem::exists(folder.path("scenes/rain-on-tin.json")));
    CHECK(saved_hold(folder, "bench-talk-late.json") == 321.0);
    const auto there = SceneLibrary(folder.path("scenes")).list().scenes;
    REQUIRE(there.size() == w.app.scenes().scenes().size());
    for (size_t i = 0; i < there.size(); ++i) {
        CHECK(there[i].scene == w.app.scenes().scenes()[i].scene);
        CHECK(there[i].path == w.app.scenes().scenes()[i].path);
    }
    CHECK(there.front().scene.note == "By the window");
    CHECK(there.front().scene.colour == 2);
    // Nothing of it was taken for another program's doing.
    CHECK_FALSE(std::filesystem::exists(folder.path("scenes/removed/bench-talk-late.json")));
}

TEST_CASE("a scene's button that is held stays while the disk answers") {
    TemporaryFolder folder;
    Window w(folder);
    set_hold(w, 321);
    HangingDisk disk(w);
    press(w, Qt::Key_S, Qt::ControlModifier);
    QPointer<ui::FlatButton> button = w.find<ui::FlatButton>("scene_Evening quiet");
    QTest::mousePress(button, Qt::LeftButton);
    disk.letGo();
    REQUIRE(Window::until([&] { return !w.app.scenes().saving(); }));
    QTest::qWait(1);  // what was to be deleted is
    REQUIRE(button);
    QTest::mouseRelease(button, Qt::LeftButton);
    CHECK(w.app.mixer().name() == "Evening quiet");
    // What it shows is made anew.
    auto about = w.app.scenes().about();
    about.colour = 2;
    w.app.scenes().setAbout(about);
    QTest::qWait(1);
    CHECK(button.isNull());
    CHECK(w.find<ui::FlatButton>("scene_Evening quiet") != nullptr);
}

TEST_CASE("what the disk refuses is told, and the list is what is there") {
    TemporaryFolder folder;
    Window w(folder);
    set_hold(w, 321);
    std::filesystem::rename(folder.path("scenes"), folder.path("elsewhere"));
    REQUIRE(write_file(folder.path("scenes"), "isn't a folder").ok());
    CHECK_FALSE(w.save());
    CHECK(w.told().find("scenes") != std::string::npos);
    CHECK(w.app.scenes().changed());
    CHECK(w.find<ui::FlatButton>("save_button")->text() == "Save");
    CHECK(w.value("gate", "hold") == 321.0);
    // Under another name: the name in work is the one before.
    CHECK_FALSE(w.saveAs("Another"));
    CHECK(w.app.mixer().name() == "Bench talk");
    CHECK(w.app.scenes().find("Another") == nullptr);
    CHECK(w.value("gate", "hold") == 321.0);
    // It is there again: saved at the next press.
    std::filesystem::remove(folder.path("scenes"));
    std::filesystem::rename(folder.path("elsewhere"), folder.path("scenes"));
    CHECK(w.save());
    CHECK(saved_hold(folder, "bench-talk.json") == 321.0);
    CHECK_FALSE(w.app.scenes().changed());
}

TEST_CASE("what is asked of the disk is done in order, at the end of the program too") {
    std::vector<int> done, came;
    auto errands = std::make_unique<ui::SerialTaskQueue>();
    QObject whose;
    auto gone = std::make_unique<QObject>();
    for (int i = 0; i < 50; ++i) {
        errands->run(
            i == 20 ? gone.get() : &whose,
            [&done, i] {
                done.push_back(i);
                return i;
            },
            [&came](int n) { came.push_back(n); });
    }
    gone.reset();
    CHECK(errands->busy());
    errands->finish();
    CHECK_FALSE(errands->busy());
    REQUIRE(done.size() == 50);
    CHECK(std::ranges::is_sorted(done));
    CHECK(came.size() == 49);  // one of them had nobody to come back to
    CHECK(std::ranges::is_sorted(came));
    // By itself, without anybody waiting.
    errands->run(
        &whose, [] { return 99; }, [&came](int n) { came.push_back(n); });
    CHECK(Window::until([&] { return came.back() == 99; }));
    errands->run(
        &whose,
        [&done] {
            done.push_back(100);
            return 0;
        },
        [&came](int) { came.push_back(100); });
    errands.reset();
    CHECK(done.back() == 100);
    CHECK(came.back() == 99);
}

TEST_CASE("a scene has a key of its own, which goes with it wherever it stands and whatever it is called") {
    TemporaryFolder folder;
    {
        Window w(folder);
        w.app.scenes().recall("Rain on tin");
        w.window.sceneBar()->openMenu();
        REQUIRE(w.choose("scene_popup", "Assign shortcut"));
        auto* dialog = w.window.findChild<ui::ShortcutsDialog*>();
        REQUIRE(dialog != nullptr);
        auto* key = dialog->findChild<ui::FlatButton*>("key scene Rain on tin");
        REQUIRE(key != nullptr);
        CHECK(key->isVisible());
        CHECK(key->text() == "none");
        QTest::mouseClick(key, Qt::LeftButton);
        QTest::keyClick(key, Qt::Key_F11);
        CHECK(key->text() == "F11");
        dialog->close();
        w.app.scenes().recall("Bench talk");
        press(w, Qt::Key_F11, Qt::NoModifier);
        CHECK(w.app.mixer().name() == "Rain on tin");
        auto* button = w.find<ui::FlatButton>("scene_Rain on tin");
        CHECK(button->prefix() == "F11");
        CHECK(button->toolTip().contains("(F11)"));
        // In another place, under another name.
        w.app.scenes().moveTo("Rain on tin", 0);
        w.app.scenes().recall("Bench talk");
        press(w, Qt::Key_F11, Qt::NoModifier);
        CHECK(w.app.mixer().name() == "Rain on tin");
        REQUIRE(w.renameScene("Hail on tin"));
        w.app.scenes().recall("Bench talk");
        press(w, Qt::Key_F11, Qt::NoModifier);
        CHECK(w.app.mixer().name() == "Hail on tin");
        CHECK(w.app.preferences().keys().text("scene Hail on tin") == "F11");
        // It is in the bar before others that have none.
        for (int i = 0; i < 12; ++i) REQUIRE(w.saveAs(QString("A rather long name of a scene %1").arg(i)));
        w.app.scenes().moveTo("Hail on tin", 99);
        w.app.scenes().recall("Bench talk");
        CHECK(w.find<ui::FlatButton>("scene_Hail on tin")->isVisible());
        CHECK_FALSE(w.find<ui::FlatButton>("scene_A rather long name of a scene 11")->isVisible());
        REQUIRE(w.app.scenes().finish());
    }
    Window again(folder);
    again.app.scenes().recall("Bench talk");
    press(again, Qt::Key_F11, Qt::NoModifier);
    CHECK(again.app.mixer().name() == "Hail on tin");
    // Without its scene it does nothing, and is free.
    again.app.scenes().remove("Hail on tin");
    REQUIRE(again.app.scenes().finish());
    auto& keys = again.app.preferences().keys();
    CHECK(keys.holder(QKeySequence(Qt::Key_F11)) == nullptr);
    // Given to something else it stays there, though the scene comes again.
    keys.set("record", QKeySequence(Qt::Key_F11));
    REQUIRE(again.saveAs("Hail on tin"));
    CHECK(keys.text("scene Hail on tin").isEmpty());
    press(again, Qt::Key_F11, Qt::NoModifier);
    CHECK(again.app.takes().recording());
}

TEST_CASE("scenes of a group stand together under its word") {
    TemporaryFolder folder;
    Window w(folder);
    const auto put = [&](const char* scene, const char* group) {
        w.app.scenes().recall(scene);
        auto about = w.app.scenes().about();
        about.group = group;
        w.app.scenes().setAbout(about);
    };
    put("Rain on tin", "Outside");
    put("Bench talk", "Inside");
    put("Two at the bench", "Inside");
    w.window.sceneBar()->openFinder();
    auto* list = w.find<QListWidget>("scene_found");
    REQUIRE(list != nullptr);
    std::vector<std::string> rows;
    std::vector<size_t> headings;
    for (int i = 0; i < list->count(); ++i) {
        if (list->item(i)->flags() == Qt::NoItemFlags) headings.push_back(rows.size());
        rows.push_back(list->item(i)->text().toStdString());
    }
    REQUIRE(headings.size() == 2);
    CHECK(headings[0] == 3);  // those without a group come first
    const auto inside = rows[headings[0]] == "Inside" ? headings[0] : headings[1];
    CHECK(rows[inside] == "Inside");
    CHECK(std::set<std::string>{rows[inside + 1], rows[inside + 2]} ==
          Names{"Bench talk", "Two at the bench"});
    // Keys go past the words, from the first scene to the last.
    auto* wanted = w.find<QLineEdit>("scene_wanted");
    for (int i = 0; i < 20; ++i) QTest::keyClick(wanted, Qt::Key_Up);
    std::set<std::string> seen{list->currentItem()->text().toStdString()};
    CHECK(list->currentRow() == 0);
    for (int i = 0; i < 20; ++i) {
        QTest::keyClick(wanted, Qt::Key_Down);
        seen.insert(list->currentItem()->text().toStdString());
    }
    CHECK(list->currentRow() == list->count() - 1);
    CHECK(seen.size() == w.app.scenes().scenes().size());
    CHECK_FALSE(seen.contains("Inside"));
    // Found by its word: one heading, and the first scene under it is chosen.
    QTest::keyClicks(wanted, "outs");
    REQUIRE(list->count() == 2);
    CHECK(list->item(0)->text() == "Outside");
    CHECK(list->currentItem()->text() == "Rain on tin");
    QTest::keyClick(wanted, Qt::Key_Return);
    CHECK(w.app.mixer().name() == "Rain on tin");
}

TEST_CASE("what has come and what has ended is told from what was there, and from a short absence") {
    ui::PresenceTracker comings;
    constexpr auto kSettle = ui::PresenceTracker::kSettle, kAway = ui::PresenceTracker::kAway;
    // What is there when the daemon begins to tell, bit by bit, has not come.
    CHECK(comings.look({}, 0).came.empty());
    CHECK(comings.look(playing({"Game"}), 1000).came.empty());
    CHECK(comings.look(playing({"Game"}, {"mic"}), 1000 + kSettle - 1).came.empty());
    CHECK_FALSE(comings.next());
    // What comes after that has.
    CHECK(comings.look(playing({"Game", "Player"}, {"mic"}), 5000).came == Names{"program Player"});
    CHECK(comings.look(playing({"Game", "Player"}, {"mic"}), 5100).came.empty());
    CHECK(comings.look(playing({"Game", "Player"}, {"mic", "other"}), 5200).came == Names{"device other"});
    // Between two songs.
    CHECK(comings.look(playing({"Game"}, {"mic", "other"}), 6000).ended.empty());
    REQUIRE(comings.next());
    CHECK(*comings.next() == 6000 + kAway);
    const auto between = comings.look(playing({"Game", "Player"}, {"mic", "other"}), 6000 + kAway - 1);
    CHECK((between.came.empty() && between.ended.empty()));
    CHECK_FALSE(comings.next());
    // For good, and again.
    (void)comings.look(playing({"Game"}, {"mic", "other"}), 30'000);
    CHECK(comings.look(playing({"Game"}, {"mic", "other"}), 30'000 + kAway - 1).ended.empty());
    CHECK(comings.look(playing({"Game"}, {"mic", "other"}), 30'000 + kAway).ended == Names{"program Player"});
    CHECK(comings.look(playing({"Game", "Player"}, {"mic", "other"}), 50'000).came ==
          Names{"program Player"});
    // The machine slept meanwhile, and nobody looked: it has ended all the same, and has come again.
    (void)comings.look(playing({"Game"}, {"mic", "other"}), 51'000);
    const auto slept = comings.look(playing({"Game", "Player"}, {"mic", "other"}), 58'000 + kAway);
    CHECK(slept.ended == Names{"program Player"});
    CHECK(slept.came == Names{"program Player"});
    // A daemon that is started anew tells all of it bit by bit once more: nothing has ended or come.
    CHECK(comings.look({}, 70'000).ended.empty());
    CHECK(comings.look({}, 90'000).ended.empty());
    CHECK(comings.look(playing({}), 100'000).ended.empty());
    const auto back = comings.look(playing({"Game", "Player"}, {"mic", "other"}), 101'000);
    CHECK((back.came.empty() && back.ended.empty()));
}

TEST_CASE(
    "a scene is recalled when a program plays, goes back when it has ended, and leaves no changes behind") {
    TemporaryFolder folder;
    std::int64_t now = 0;
    const auto begin = [&now](Window& w) { w.app.recallRules().setClock([&now] { return now; }); };
    // As time goes by.
    const auto look = [&now](Window& w, const PipeWireSnapshot& picture, std::int64_t later = 20'000) {
        now += later;
        w.app.recallRules().follow(picture);
        w.app.recallRules().follow(picture);
    };
    {
        Window w(folder);
        begin(w);
        auto& rules = w.app.recallRules();
        w.app.scenes().recall("Rain on tin");
        rules.add({.when = When::program_plays, .name = "Game", .scene = "Rain on tin", .back = true});
        rules.add(
            {.when = When::device_is_there, .name = "mic", .title = "Desk mic", .scene = "Evening quiet"});
        w.app.scenes().recall("Bench talk");
        look(w, playing({}));
        look(w, playing({}));
        look(w, playing({"Other"}));
        CHECK(w.app.mixer().name() == "Bench talk");
        look(w, playing({"Other", "Game"}));
        CHECK(w.app.mixer().name() == "Rain on tin");
        CHECK(w.told() == "When Game plays audio: recalled “Rain on tin”. Press Ctrl+Z to undo.");
        look(w, playing({"Other"}), 100);
        CHECK(w.app.mixer().name() == "Rain on tin");
        look(w, playing({"Other"}));
        CHECK(w.app.mixer().name() == "Bench talk");
        // Undo goes across it.
        look(w, playing({"Game"}));
        CHECK(w.app.mixer().name() == "Rain on tin");
        w.app.history().undo();
        CHECK(w.app.mixer().name() == "Bench talk");
        // Whoever has gone elsewhere meanwhile stays there.
        look(w, playing({}));
        look(w, playing({}));
        look(w, playing({"Game"}));
        w.app.scenes().recall("Two at the bench");
        look(w, playing({}));
        look(w, playing({}));
        CHECK(w.app.mixer().name() == "Two at the bench");
        // Changes that are not saved are not left.
        set_hold(w, 333);
        look(w, playing({}, {"mic"}));
        CHECK(w.app.mixer().name() == "Two at the bench");
        CHECK_THAT(w.told(),
                   Catch::Contains("When Desk mic is connected: “Evening quiet” was not recalled") &&
                       Catch::Contains("“Two at the bench” has unsaved changes"));
        CHECK(w.value("gate", "hold") == 333.0);
        w.window.messages()->dismiss();
        // A scene that has gone is told.
        w.app.scenes().takeBack();
        w.app.scenes().remove("Rain on tin");
        REQUIRE(w.app.scenes().finish());
        look(w, playing({"Game"}, {"mic"}));
        CHECK_THAT(w.told(), Catch::Contains("can't recall “Rain on tin”"));
        // The rules go with a name.
        w.app.scenes().recall("Evening quiet");
        REQUIRE(w.renameScene("Evening, quiet"));
        CHECK(rules.all()[1].scene == "Evening, quiet");
        CHECK(w.app.saveState());
    }
    Window again(folder);
    begin(again);
    REQUIRE(again.app.recallRules().all().size() == 2);
    again.app.scenes().recall("Bench talk");
    look(again, playing({}));
    look(again, playing({}));
    look(again, playing({}, {"mic"}));
    CHECK(again.app.mixer().name() == "Evening, quiet");
    // Without "then back" it stays.
    look(again, playing({}));
    look(again, playing({}));
    CHECK(again.app.mixer().name() == "Evening, quiet");
}

TEST_CASE("rules are made and removed in the window by what plays and is there") {
    TemporaryFolder folder;
    Window w(folder);
    w.app.scenes().recall("Rain on tin");
    w.window.sceneBar()->openRules();
    auto* panel = w.find<ui::AutoRecallPopover>("scene_rules");
    REQUIRE(panel != nullptr);
    CHECK(panel->findChild<QWidget*>("rules_none")->isVisible());
    auto& rules = w.app.recallRules();
    rules.add({.when = When::program_plays, .name = "Game", .scene = "Rain on tin", .back = true});
    rules.add({.when = When::program_plays, .name = "Player", .scene = "Bench talk"});
    CHECK_FALSE(panel->findChild<QWidget*>("rules_none")->isVisible());
    REQUIRE(Window::until([&] { return panel->findChild<ui::FlatButton*>("rule_back_0") != nullptr; }));
    CHECK(panel->findChild<ui::FlatButton*>("rule_back_1") == nullptr);  // another scene's
    auto* back = panel->findChild<ui::FlatButton*>("rule_back_0");
    CHECK(back->isChecked());
    QTest::mouseClick(back, Qt::LeftButton);
    CHECK_FALSE(rules.all()[0].back);
    // The same cause for another scene: one rule.
    rules.add({.when = When::program_plays, .name = "Player", .scene = "Rain on tin"});
    CHECK(rules.all().size() == 2);
    const auto removing = [&]() -> ui::FlatButton* {
        for (auto* b : panel->findChildren<ui::FlatButton*>("rule_remove_0")) {
            if (b->isVisible()) return b;
        }
        return nullptr;
    };
    REQUIRE(Window::until([&] { return removing() != nullptr; }));
    QTest::mouseClick(removing(), Qt::LeftButton);
    REQUIRE(rules.all().size() == 1);
    CHECK(rules.all()[0].name == "Player");
    // Nothing is connected here: that is said.
    QTest::mouseClick(panel->findChild<ui::FlatButton*>("rule_device"), Qt::LeftButton);
    auto* devices = panel->findChild<QMenu*>("rule_devices");
    REQUIRE(devices->actions().size() == 1);
    CHECK(devices->actions()[0]->text().startsWith("PipeWire isn't running"));
    devices->close();
    for (size_t i = 0; i < 2 * kMaxRules; ++i)
        rules.add({.when = When::program_plays, .name = std::to_string(i), .scene = "Bench talk"});
    CHECK(rules.all().size() == kMaxRules);
    CHECK_THAT(w.told(), Catch::Contains("at most"));
}
