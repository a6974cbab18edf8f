// One table of actions: keys, menus and words from outside do the same; keys are changed in the window.
#include "actions/actions.h"

#include <QClipboard>
#include <QLineEdit>
#include <set>

#include "actions/shortcuts_dialog.h"
#include "app/window.h"
#include "model/shared/global_keys.h"
#include "widgets/words.h"

using namespace reed;
using namespace reed::test;

namespace {

struct WithKeys : Window {
    using Window::Window;
    ui::ShortcutsDialog* open() {
        QTest::keyClick(&window, Qt::Key_F1);
        return window.findChild<ui::ShortcutsDialog*>();
    }
    ui::FlatButton* key(const QString& id) { return window.findChild<ui::FlatButton*>("key " + id); }
    /// Clicks the key of an action and presses another one.
    void change(const QString& id, Qt::Key pressed, Qt::KeyboardModifiers with = Qt::NoModifier) {
        QTest::mouseClick(key(id), Qt::LeftButton);
        QTest::keyClick(key(id), pressed, with);
    }
    std::string said() { return find<ui::Words>("keys_said")->text().toStdString(); }
    void press(Qt::Key pressed, Qt::KeyboardModifiers with) {
        QTest::keyClick(window.diagram(), pressed, with);
    }
};

}  // namespace

TEST_CASE("the table of actions is sound") {
    std::set<QString> ids;
    std::set<QString> keys;
    for (const ui::Action& a : ui::action_table()) {
        INFO(a.id);
        CHECK(ids.insert(a.id).second);
        CHECK(a.run != nullptr);
        CHECK(ui::find_action(a.id) == &a);
        const bool named = a.argument == ui::Argument::character;
        CHECK((a.held ? a.argument == ui::Argument::on_off || named : true));
        const int several = named && *a.keys != 0 ? 9 : a.numbered;
        for (int n = 1; n <= std::max(1, several); ++n) {
            const QString text = several > 0 ? QString(a.keys).arg(n) : QString(a.keys);
            for (const QKeySequence& key : QKeySequence::listFromString(text)) {
                CHECK(ui::Keys::problem(key).isEmpty());
                if (!key.isEmpty()) CHECK(keys.insert(key.toString()).second);  // no key for two
            }
        }
    }
}

TEST_CASE("actions do what they say, or say why not", "[app]") {
    TemporaryFolder folder;
    Window w(folder);
    auto& a = w.window.actions();
    const auto why = [&](const char* id, const char* argument = "") {
        return a.run(id, argument).toStdString();
    };
    CHECK(why("set", "gate open_threshold -41,5 dB") == "");
    CHECK(w.value("gate", "open_threshold") == -41.5);
    CHECK(why("step", "gate open_threshold 2") == "");
    const double stepped = w.value("gate", "open_threshold");
    CHECK(stepped > -41.5);
    CHECK(why("step", "gate open_threshold -0.1") == "");
    CHECK(w.value("gate", "open_threshold") < stepped);
    CHECK(w.value("gate", "open_threshold") > -41.5);
    const int place = w.strip().chainModel().chain().index_of("gate") + 1;
    CHECK(a.run("set", QString("%1 hold 200").arg(place)).isEmpty());
    CHECK(w.value("gate", "hold") == 200.0);
    CHECK_THAT(why("set", "gate hold 900000"), Catch::Contains("Hold") || Catch::Contains("hold"));
    CHECK_THAT(why("set", "gate hold"), !Catch::Equals(""));
    // What another program sends is not sent back whole.
    CHECK(a.run("set", "gate hold " + QString(100000, 'x')).size() < 300);
    CHECK_THAT(why("set", "gate holt 3"), Catch::Contains("no parameter “holt”") && Catch::Contains("hold"));
    CHECK_THAT(why("set", "gong hold 3"), Catch::Contains("No stage named “gong”"));
    CHECK_THAT(why("step", "gate hold far"), Catch::Contains("isn't a number of steps"));
    CHECK_THAT(why("step", "gate hold nan"), Catch::Contains("isn't a number of steps"));
    CHECK_THAT(why("dance"), Catch::Contains("Unknown action"));
    CHECK_THAT(why("undo", "all"), Catch::Contains("takes no argument"));
    CHECK_THAT(why("scene"), Catch::Contains("scene NAME"));
    CHECK_THAT(why("talk", "maybe"), Catch::Contains("“on” or “off”"));
    CHECK_THAT(why("theme", "noon"), Catch::Contains("dusk or dawn"));
    CHECK(w.value("gate", "hold") == 200.0);
    // Round and round through the scenes.
    const auto& scenes = w.app.scenes().scenes();
    REQUIRE(scenes.size() > 2);
    w.app.scenes().recall(std::string(scenes.back().scene.name));
    CHECK(why("next-scene") == "");
    CHECK(w.strip().chainModel().scene().name == scenes.front().scene.name);
    CHECK(why("previous-scene") == "");
    CHECK(w.strip().chainModel().scene().name == scenes.back().scene.name);
    CHECK(why("focus", "2") == "");
    CHECK(w.strip().chainModel().focused() == w.strip().chainModel().chain().stages[1].id);
    CHECK(why("previous-stage") == "");
    CHECK(why("previous-stage") == "");  // the first one stays
    CHECK(w.strip().chainModel().focused() == w.strip().chainModel().chain().stages[0].id);
    CHECK(why("bypass-focused") == "");
    CHECK(w.strip().chainModel().chain().stages[0].bypass);
    CHECK(why("toggle", "1") == "");
    CHECK_FALSE(w.strip().chainModel().chain().stages[0].bypass);
}

TEST_CASE("keys turn, focus and bypass, and menus show them", "[app]") {
    TemporaryFolder folder;
    WithKeys w(folder);
    w.press(Qt::Key_3, Qt::AltModifier);
    CHECK(w.strip().chainModel().focused() == w.strip().chainModel().chain().stages[2].id);
    w.press(Qt::Key_Right, Qt::AltModifier);
    CHECK(w.strip().chainModel().focused() == w.strip().chainModel().chain().stages[3].id);
    w.press(Qt::Key_B, Qt::ControlModifier);
    CHECK(w.strip().chainModel().chain().stages[3].bypass);
    w.press(Qt::Key_Y, Qt::ControlModifier);
    w.press(Qt::Key_Z, Qt::ControlModifier);
    CHECK_FALSE(w.strip().chainModel().chain().stages[3].bypass);
    // What can't be done is told.
    w.press(Qt::Key_9, Qt::ControlModifier);
    CHECK_THAT(w.told(), Catch::Contains("No scene named “9”"));
    QTest::mouseClick(w.find<ui::FlatButton>("main_menu"), Qt::LeftButton);
    auto* menu = w.find<QMenu>("main_popup");
    REQUIRE(menu != nullptr);
    CHECK(menu->findChild<QAction*>("toggle-headphones")->text().endsWith("\tCtrl+H"));
    CHECK_FALSE(menu->findChild<QAction*>("undo")->isEnabled());
    CHECK(menu->findChild<QAction*>("redo")->text().startsWith("Redo: "));
    menu->close();
}

TEST_CASE("keys are found, changed, taken from others and put back in the window", "[app]") {
    TemporaryFolder folder;
    WithKeys w(folder);
    REQUIRE(w.open() != nullptr);
    CHECK(w.key("toggle-headphones")->text() == "Ctrl+H");
    CHECK(w.key("redo")->text() == "Ctrl+Shift+Z or Ctrl+Y");
    // Found by a word, and by a key.
    auto* word = w.find<QLineEdit>("keys_word");
    QTest::keyClicks(word, "headph");
    CHECK(w.key("toggle-headphones")->isVisible());
    CHECK_FALSE(w.key("undo")->isVisible());
    word->setText("ctrl+z");
    CHECK(w.key("undo")->isVisible());
    CHECK_FALSE(w.key("toggle-headphones")->isVisible());
    word->setText("zebra");
    CHECK_THAT(w.said(), Catch::Contains("No results for “zebra”"));
    word->clear();
    // A free key is taken at once, and works.
    w.change("toggle-mute", Qt::Key_F11);
    CHECK(w.key("toggle-mute")->text() == "F11");
    w.press(Qt::Key_F11, Qt::NoModifier);
    CHECK(w.app.mute().on());
    w.press(Qt::Key_F11, Qt::NoModifier);
    // One that types is refused; Escape leaves things as they were.
    w.change("toggle-headphones", Qt::Key_H);
    CHECK_THAT(w.said(), Catch::Contains("Add Ctrl or Alt"));
    QTest::keyClick(w.key("toggle-headphones"), Qt::Key_Escape);
    CHECK(w.key("toggle-headphones")->text() == "Ctrl+H");
    CHECK(w.window.findChild<ui::ShortcutsDialog*>()->isVisible());
    // One that something else has is told first.
    w.change("toggle-mute", Qt::Key_S, Qt::ControlModifier);
    CHECK_THAT(w.said(), Catch::Contains("Ctrl+S is already assigned to “Save the scene”"));
    CHECK(w.app.preferences().keys().text("save") == "Ctrl+S");
    QTest::keyClick(w.key("toggle-mute"), Qt::Key_S, Qt::ControlModifier);
    CHECK(w.key("toggle-mute")->text() == "Ctrl+S");
    CHECK(w.key("save")->text() == "none");
    CHECK_THAT(w.said(), Catch::Contains("Ctrl+S was removed from “Save the scene”"));
    w.press(Qt::Key_S, Qt::ControlModifier);
    CHECK(w.app.mute().on());
    // The talk key too, which is heard in every other part of the window.
    w.app.mute().set(false);
    w.change("toggle-headphones", Qt::Key_M, Qt::ControlModifier);
    CHECK_THAT(w.said(), Catch::Contains("Ctrl+M is already assigned to “Mute / push to talk”"));
    CHECK_FALSE(w.app.mute().on());
    QTest::keyClick(w.key("toggle-headphones"), Qt::Key_Escape);
    // Backspace takes one away; the talk key is held under its new name too.
    w.change("undo", Qt::Key_Backspace);
    CHECK(w.key("undo")->text() == "none");
    w.change("talk", Qt::Key_F12);
    w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    QTest::keyPress(w.window.diagram(), Qt::Key_F12);
    CHECK_FALSE(w.app.mute().on());
    QTest::keyRelease(w.window.diagram(), Qt::Key_F12);
    CHECK(w.app.mute().on());
    QTest::keyPress(w.window.diagram(), Qt::Key_M, Qt::ControlModifier);
    CHECK(w.app.mute().on());
    CHECK(w.find<ui::FlatButton>("mute_button")->toolTip() == "Mute the output (F12)");
    // One back, then all.
    QTest::mouseClick(w.window.findChild<ui::FlatButton*>("reset talk"), Qt::LeftButton);
    CHECK(w.key("talk")->text() == "Ctrl+M");
    QTest::mouseClick(w.window.findChild<ui::FlatButton*>("reset save"), Qt::LeftButton);
    CHECK(w.key("save")->text() == "none");  // its usual one is another's now
    QTest::mouseClick(w.find<ui::FlatButton>("keys_all_usual"), Qt::LeftButton);
    CHECK(w.key("save")->text() == "Ctrl+S");
    CHECK(w.app.preferences().keys().kept().empty());
}

TEST_CASE("changed keys are there again at the next start, and nonsense among them is left out", "[app]") {
    TemporaryFolder folder;
    {
        Window w(folder);
        w.app.preferences().keys().set("toggle-mute", QKeySequence("F11"));
        w.app.preferences().keys().set("undo", {});
        CHECK(w.app.saveState());
    }
    Window w(folder);
    CHECK(w.app.preferences().keys().text("toggle-mute") == "F11");
    CHECK(w.app.preferences().keys().text("undo") == "");
    QTest::keyClick(w.window.diagram(), Qt::Key_F11);
    CHECK(w.app.mute().on());
    // From a file that something else has written: no key, a letter alone, one key twice, an unknown action.
    w.app.preferences().keys().restore({{"toggle-headphones", "Blorb"},
                                        {"save", "A"},
                                        {"next-scene", "F9"},
                                        {"previous-scene", "F9"},
                                        {"quit", "Ctrl+Z"},
                                        {"fly", "F10"}});
    const auto text = [&](const char* id) { return w.app.preferences().keys().text(id).toStdString(); };
    CHECK(text("toggle-headphones") == "Ctrl+H");
    CHECK(text("save") == "Ctrl+S");
    CHECK(text("next-scene") == "F9");
    CHECK(text("previous-scene") == "Ctrl+PgUp");
    CHECK(text("quit") == "Ctrl+Z");
    CHECK(text("undo") == "");                                    // its usual key is another's
    CHECK(w.app.preferences().keys().kept().at("fly") == "F10");  // of a newer version, perhaps
}

TEST_CASE("earlier ids of actions are accepted, and shortcuts stored under them are migrated", "[app]") {
    TemporaryFolder folder;
    Window w(folder);
    ui::Keys& keys = w.app.preferences().keys();
    keys.restore({{"keep-that", "Ctrl+K"}, {"keep-place 3", "Ctrl+Alt+B"}, {"small-window", ""}});
    CHECK(keys.text("save-take") == "Ctrl+K");
    CHECK(keys.text("set-bookmark 3") == "Ctrl+Alt+B");
    CHECK(keys.text("compact-window").isEmpty());
    // What is stored under the new id as well stays.
    keys.restore({{"keep-that", "Ctrl+K"}, {"save-take", "Ctrl+J"}});
    CHECK(keys.text("save-take") == "Ctrl+J");
    CHECK(keys.kept().count("keep-that") == 0);
    // Every earlier id leads to its action, none is the id of another one.
    for (const ui::Action& a : ui::action_table()) {
        if (*a.formerly == 0) continue;
        INFO(a.id);
        CHECK(ui::find_action(a.formerly) == &a);
        CHECK(std::ranges::none_of(ui::action_table(), [&](const ui::Action& other) {
            return std::string_view(other.id) == a.formerly;
        }));
    }
    CHECK(w.window.actions().run("set", "gate hold 300").isEmpty());
    CHECK(w.value("gate", "hold") == 300.0);
}

TEST_CASE("a shortcut for every window is none that is typed") {
    using ui::GlobalKeys;
    for (const QKeySequence& fit : {QKeySequence("Ctrl+M"), QKeySequence("Alt+Shift+1"), QKeySequence("F5"),
                                    QKeySequence(Qt::Key_Pause), QKeySequence(Qt::Key_ScrollLock),
                                    QKeySequence(Qt::Key_MicMute), QKeySequence(Qt::Key_MediaPlay)}) {
        INFO(fit.toString().toStdString());
        CHECK(ui::Keys::problem(fit) == "");
        CHECK(GlobalKeys::unsuitable({fit}) == "");
    }
    CHECK_THAT(GlobalKeys::unsuitable({QKeySequence("Ctrl+M"), QKeySequence(Qt::Key_Question)}).toStdString(),
               Catch::Contains("? would no longer reach other apps"));
    CHECK_THAT(GlobalKeys::unsuitable({}).toStdString(), Catch::Contains("has no shortcut yet"));
}

TEST_CASE("in the list a shortcut is marked for every window, and what is not in effect says why", "[app]") {
    TemporaryFolder folder;
    WithKeys w(folder);
    ui::GlobalKeys& global = w.app.preferences().globalKeys();
    global.setProvider(ui::GlobalKeys::Provider::x_server);
    REQUIRE(w.open() != nullptr);
    CHECK_THAT(w.said(), Catch::Contains("marked “Every window”"));
    auto* mark = w.find<ui::FlatButton>("global talk");
    REQUIRE(mark != nullptr);
    CHECK(mark->isVisible());
    CHECK_FALSE(mark->isChecked());
    CHECK(w.find<ui::FlatButton>("global undo") == nullptr);  // of no use elsewhere
    CHECK_FALSE(w.find<ui::FlatButton>("copy talk")->isVisible());
    QTest::mouseClick(mark, Qt::LeftButton);
    CHECK(global.wants("talk"));
    CHECK(mark->isChecked());
    CHECK_THAT(w.said(), Catch::Contains("Ctrl+M works in every window now"));
    global.setProblems({{"talk", "Another app uses Ctrl+M. Choose another shortcut."}});
    CHECK(mark->text() == "Not in effect");
    CHECK(w.find<ui::FlatButton>("global talk")->weight() == ui::FlatButton::Weight::alarm);
    CHECK(mark->toolTip().contains("Another app uses Ctrl+M"));
    QTest::mouseClick(mark, Qt::LeftButton);
    CHECK_FALSE(global.wants("talk"));
    CHECK(mark->text() == "Every window");
    // One without a shortcut, or with one that is typed, is not taken.
    w.app.preferences().keys().set("talk", {});
    QTest::mouseClick(mark, Qt::LeftButton);
    CHECK_FALSE(global.wants("talk"));
    CHECK_FALSE(mark->isChecked());
    CHECK_THAT(w.said(), Catch::Contains("has no shortcut yet"));
    w.app.preferences().keys().set("talk", QKeySequence(Qt::Key_Question));
    QTest::mouseClick(mark, Qt::LeftButton);
    CHECK_FALSE(global.wants("talk"));
    CHECK_THAT(w.said(), Catch::Contains("? would no longer reach other apps"));
    // While a new one is pressed, no key is grabbed; and not for longer than the list is open.
    QTest::mouseClick(w.key("talk"), Qt::LeftButton);
    CHECK(global.paused());
    QTest::keyClick(w.key("talk"), Qt::Key_M, Qt::ControlModifier);
    CHECK_FALSE(global.paused());
    QTest::mouseClick(w.key("talk"), Qt::LeftButton);
    REQUIRE(global.paused());
    delete w.window.findChild<ui::ShortcutsDialog*>();
    CHECK_FALSE(global.paused());
}

TEST_CASE("where nothing provides global shortcuts, the list offers the commands for the desktop", "[app]") {
    TemporaryFolder folder;
    WithKeys w(folder);
    REQUIRE(w.open() != nullptr);
    CHECK_THAT(w.said(), Catch::Contains("settings of your desktop"));
    CHECK_FALSE(w.find<ui::FlatButton>("global talk")->isVisible());
    // The provider may be found while the list is open.
    w.app.preferences().globalKeys().setProvider(ui::GlobalKeys::Provider::desktop);
    CHECK_THAT(w.said(), Catch::Contains("are set by the desktop"));
    w.app.preferences().globalKeys().setProvider(ui::GlobalKeys::Provider::none);
    CHECK_THAT(w.said(), Catch::Contains("settings of your desktop"));
    const auto copied = [&](const QString& id) {
        QTest::mouseClick(w.find<ui::FlatButton>(("copy " + id).toUtf8()), Qt::LeftButton);
        return QGuiApplication::clipboard()->text().toStdString();
    };
    // The desktop reports no release, so that the talk key can only toggle.
    CHECK(copied("talk") == "dusky-reed --send toggle-mute");
    CHECK(copied("scene 3") == "dusky-reed --send scene 3");
    CHECK(copied("character Under water") == "dusky-reed --send character 'Under water'");
    CHECK(w.find<ui::FlatButton>("copy hold-character Under water") == nullptr);
    // What is copied works.
    CHECK(w.window.actions().run("character", "Under water") == "");
    CHECK_THAT(w.said(), Catch::Contains("Copied: dusky-reed --send character"));
    w.app.preferences().globalKeys().setProvider(ui::GlobalKeys::Provider::desktop);
    CHECK_FALSE(w.find<ui::FlatButton>("copy talk")->isVisible());
    CHECK_FALSE(w.find<ui::FlatButton>("global talk")->isVisible());
}
