// Characters in the window: a key away, held or pressed, made of the chain and put into it.
#include <QLineEdit>
#include <filesystem>
#include <fstream>

#include "actions/actions.h"
#include "app/window.h"
#include "deck/characters_popover.h"
#include "deck/popups.h"
#include "model/strips/characters.h"

using namespace reed;
using namespace reed::test;

namespace {

struct CharacterWindow : Window {
    using Window::Window;
    std::string on() { return strip().chainModel().character(); }
    ui::FlatButton* title() { return find<ui::FlatButton>("characters_button"); }
    ui::CharactersPopover* open() {
        QTest::mouseClick(title(), Qt::LeftButton);
        return find<ui::CharactersPopover>("characters_popup");
    }
    void press(int key, Qt::KeyboardModifiers with) {
        QTest::keyClick(&window, static_cast<Qt::Key>(key), with);
    }
    std::filesystem::path kept() const { return folder.path("characters"); }
};

void click(QWidget* w) {
    REQUIRE(w != nullptr);
    QTest::mouseClick(w, Qt::LeftButton);
}

QStringList names(const ui::AppModel& app) {
    QStringList out;
    for (const auto& c : app.characters().all()) out << c.name;
    return out;
}

}  // namespace

TEST_CASE("a character is laid over the voice by its button or its key, and taken off", "[window]") {
    TemporaryFolder folder;
    CharacterWindow w(folder);
    CHECK(w.title()->text().isEmpty());
    CHECK_FALSE(w.title()->isChecked());
    auto* popup = w.open();
    REQUIRE(popup != nullptr);
    CHECK_FALSE(w.title()->isChecked());  // nothing is on by looking
    auto* radio = popup->findChild<ui::FlatButton*>("character_Old radio");
    click(radio);
    CHECK(w.on() == "Old radio");
    CHECK(radio->isChecked());
    CHECK(w.title()->text() == "Old radio");
    CHECK(w.title()->isChecked());
    CHECK(w.title()->toolTip().contains("Ctrl+Shift+0"));
    // Another one takes its place; the same one again takes it off.
    click(popup->findChild<ui::FlatButton*>("character_Robot"));
    CHECK(w.on() == "Robot");
    CHECK_FALSE(radio->isChecked());
    popup->close();
    w.press(Qt::Key_7, Qt::ControlModifier | Qt::ShiftModifier);  // the seventh of ours is the robot
    CHECK(w.on().empty());
    CHECK(w.title()->text().isEmpty());
    w.press(Qt::Key_1, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(w.on() == "Telephone");
    w.press(Qt::Key_0, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(w.on().empty());
    w.press(Qt::Key_F10, Qt::NoModifier);
    CHECK(w.find<ui::CharactersPopover>("characters_popup") != nullptr);
}

TEST_CASE("a character is of the moment: never saved, no change of the scene, no step of undo", "[window]") {
    TemporaryFolder folder;
    {
        CharacterWindow w(folder);
        const bool could = w.app.history().canUndo();
        w.strip().chainModel().setCharacter("Robot");
        CHECK(w.app.history().canUndo() == could);
        CHECK_FALSE(w.app.scenes().changed());
        // It stays on while the chain under it is another one.
        w.app.scenes().recall("Evening quiet");
        CHECK(w.on() == "Robot");
        CHECK(w.strip().chainModel().runnable().character == "Robot");
        w.app.history().undo();
        CHECK(w.on() == "Robot");
    }
    CharacterWindow again(folder);
    CHECK(again.on().empty());
}

TEST_CASE("the feed has the character while it is on, however it was opened", "[window]") {
    TemporaryFolder folder;
    CharacterWindow w(folder);
    // One of one's own that silences nearly all.
    Scene faint;
    faint.name = "Faint";
    faint.chain() = chain_of({stage("gain", {{"gain", -30}}), stage("gain", {{"gain", -20}})});
    faint.chain().stages[1].id = "gain_2";
    REQUIRE(SceneLibrary(w.kept()).save(faint).ok());
    w.app.characters().keep(w.strip().chainModel(), {"gain"}, "Again", {});  // and is read with it
    REQUIRE(w.app.characters().find("faint") != nullptr);
    const auto level = [&] {
        REQUIRE(w.heard(static_cast<double>(w.strip().engine().input_history()->written()) / 48000.0 + 2.5));
        return w.feed_level(2.0);
    };
    REQUIRE(w.heard(3.0));
    const double plain = level();
    w.strip().chainModel().setCharacter("Faint");
    CHECK(level() < plain - 35.0);
    // Another input: still on, and the chain need not be built twice.
    std::uint32_t serial = 0;  // of the chain it was opened with, before any sound
    QObject::connect(&w.strip().input(), &ui::InputController::engineOpened,
                     [&] { serial = w.strip().engine().chain().sounding(); });
    w.setInput({DeviceKind::simulated_room, {}});
    CHECK(level() < plain - 35.0);
    CHECK(w.strip().engine().chain().sounding() == serial);
    w.strip().chainModel().setCharacter({});
    CHECK(level() > plain - 10.0);
}

TEST_CASE("a character is on while its key is held, and off when the window loses it", "[window]") {
    TemporaryFolder folder;
    CharacterWindow w(folder);
    auto& keys = w.app.preferences().keys();
    keys.set("hold-character Robot", QKeySequence("F11"));
    keys.set("hold-character Old radio", QKeySequence("F12"));
    QTest::keyPress(&w.window, Qt::Key_F11);
    CHECK(w.on() == "Robot");
    QKeyEvent again(QEvent::KeyPress, Qt::Key_F11, Qt::NoModifier, {}, true);
    QApplication::sendEvent(&w.window, &again);
    CHECK(w.on() == "Robot");
    QTest::keyRelease(&w.window, Qt::Key_F11);
    CHECK(w.on().empty());
    // Two keys: the one pressed last counts, and its end ends it.
    QTest::keyPress(&w.window, Qt::Key_F11);
    QTest::keyPress(&w.window, Qt::Key_F12);
    CHECK(w.on() == "Old radio");
    QTest::keyRelease(&w.window, Qt::Key_F11);
    CHECK(w.on() == "Old radio");
    QTest::keyRelease(&w.window, Qt::Key_F12);
    CHECK(w.on().empty());
    // Talk is held besides.
    w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    QTest::keyPress(&w.window, Qt::Key_M, Qt::ControlModifier);
    CHECK_FALSE(w.app.mute().on());
    QTest::keyPress(&w.window, Qt::Key_F11);
    CHECK_FALSE(w.app.mute().on());
    QTest::keyRelease(&w.window, Qt::Key_F11);
    CHECK_FALSE(w.app.mute().on());
    QTest::keyRelease(&w.window, Qt::Key_M, Qt::ControlModifier);
    CHECK(w.app.mute().on());
    CHECK(w.on().empty());
    QTest::keyPress(&w.window, Qt::Key_F11);
    QEvent lost(QEvent::WindowDeactivate);
    QApplication::sendEvent(&w.window, &lost);
    CHECK(w.on().empty());
    // Another strip is worked on by the time the key comes up.
    w.app.mixer().add(StripRole::voice);
    REQUIRE(w.until([&] { return w.app.mixer().strips().size() == 2; }));
    w.app.mixer().focus(w.strip().chainModel().spec().id);
    QTest::keyPress(&w.window, Qt::Key_F11);
    CHECK(w.on() == "Robot");
    w.app.mixer().focus(w.app.mixer().strips()[1]->chainModel().spec().id);
    CHECK(w.title()->text().isEmpty());  // the other one has none
    QTest::keyRelease(&w.window, Qt::Key_F11);
    CHECK(w.on().empty());
}

TEST_CASE("a character is laid over the voice while a programme is worked on", "[window]") {
    TemporaryFolder folder;
    CharacterWindow w(folder);
    ui::StripModel* sound = w.app.mixer().add(StripRole::programme);
    REQUIRE(sound != nullptr);
    w.app.mixer().focus(sound->chainModel().spec().id);
    REQUIRE(&w.app.mixer().current() == sound);
    w.press(Qt::Key_1, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(w.on() == "Telephone");
    CHECK(sound->chainModel().character().empty());
    CHECK(w.title()->text() == "Telephone");
    auto* popup = w.open();
    CHECK(popup->findChild<ui::FlatButton*>("character_Telephone")->isChecked());
    popup->close();
    ui::Actions actions(w.app);
    CHECK(actions.run("hold-character", "Robot on").isEmpty());
    CHECK(w.on() == "Robot");
    CHECK(sound->chainModel().character().empty());
    // Another voice has its own.
    ui::StripModel* guest = w.app.mixer().add(StripRole::voice);
    w.app.mixer().focus(guest->chainModel().spec().id);
    CHECK(w.title()->text().isEmpty());
    w.press(Qt::Key_2, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(guest->chainModel().character() == "Old radio");
    CHECK(w.on() == "Robot");
}

TEST_CASE("the delay of a character is told while it is on", "[window]") {
    TemporaryFolder folder;
    CharacterWindow w(folder);
    const double before = w.strip().input().totalDelayMs();
    w.strip().chainModel().setCharacter("Giant");
    const double ms = w.app.characters().find("Giant")->delay;
    CHECK(ms > 40.0);
    CHECK(ms < 60.0);
    CHECK(w.strip().input().totalDelayMs() == Approx(before + ms).margin(0.5));
    QTest::mouseClick(w.find<ui::FlatButton>("status"), Qt::LeftButton);
    auto* popup = w.find<ui::DelayPopup>("delay_popup");
    REQUIRE(popup != nullptr);
    const auto rows = popup->rows();
    CHECK(rows[rows.size() - 2].first() == "Giant");
    w.strip().chainModel().setCharacter({});
    CHECK(popup->rows().size() == rows.size() - 1);
    CHECK(w.strip().input().totalDelayMs() == Approx(before).margin(0.5));
}

TEST_CASE("stages of the chain are kept as a character with a key of its own, and removed", "[window]") {
    TemporaryFolder folder;
    CharacterWindow w(folder);
    w.strip().chainModel().addStage(*find_stage_kind("reverb"), 0);
    w.strip().chainModel().addStage(*find_stage_kind("echo"), 1);
    w.strip().chainModel().setBypass("echo", true);
    auto* popup = w.open();
    click(popup->findChild<ui::FlatButton*>("character_keep"));
    QTest::qWait(0);
    auto* keep = w.find<ui::SaveCharacterPopover>("keep_character");
    REQUIRE((keep != nullptr && keep->isVisible()));
    const auto stage = [&](const char* id) {
        return keep->findChild<ui::FlatButton*>(QString("character_stage_") + id);
    };
    // What is usual in a chain is not chosen by itself, nor what is bypassed; a lid can't be.
    CHECK(stage("reverb")->isChecked());
    CHECK_FALSE(stage("echo")->isChecked());
    CHECK_FALSE(stage("gate")->isChecked());
    CHECK_FALSE(stage("limiter")->isEnabled());
    auto* name = keep->findChild<QLineEdit*>("character_name");
    click(keep->findChild<ui::FlatButton*>("character_done"));
    CHECK_THAT(w.told(), Catch::Contains("Enter a name"));
    w.window.messages()->dismiss();
    QTest::keyClicks(name, "My cave");
    click(stage("reverb"));
    QTest::keyClick(name, Qt::Key_Return);
    CHECK_THAT(w.told(), Catch::Contains("at least one stage"));
    click(stage("echo"));
    QTest::keyClicks(keep->findChild<QLineEdit*>("character_note"), "Deep");
    QTest::keyClick(name, Qt::Key_Return);
    CHECK(std::filesystem::exists(w.kept() / "my-cave.json"));
    CHECK(popup->findChild<ui::FlatButton*>("character_My cave") != nullptr);
    popup->close();
    const ui::CharacterEntry* cave = w.app.characters().find("my CAVE");
    REQUIRE(cave != nullptr);
    CHECK(cave->note == "Deep");
    CHECK(cave->spec.stages.size() == 1);
    CHECK_FALSE(cave->spec.stages[0].bypass);
    CHECK(names(w.app).last() == "My cave");  // the keys of the others stay
    w.app.preferences().keys().set("character My cave", QKeySequence("F11"));
    w.press(Qt::Key_F11, Qt::NoModifier);
    CHECK(w.on() == "My cave");
    CHECK(w.app.preferences().keys().all().size() > 0);
    // Kept anew: the file before is in "removed". It is on all the while.
    w.strip().chainModel().setValue("echo", 1, 900);
    CHECK(w.app.characters().keep(w.strip().chainModel(), {"echo", "reverb"}, "My cave", {}));
    CHECK(w.on() == "My cave");
    CHECK(std::filesystem::exists(w.kept() / "removed" / "my-cave.json"));
    CHECK(w.app.characters().find("My cave")->spec.stages.size() == 2);
    w.app.characters().remove("My cave");
    CHECK(w.on().empty());
    CHECK(w.app.characters().find("My cave") == nullptr);
    w.press(Qt::Key_F11, Qt::NoModifier);
    CHECK(w.on().empty());
}

TEST_CASE("a character of one's own stands in the place of ours of that name, until it is removed",
          "[window]") {
    TemporaryFolder folder;
    CharacterWindow w(folder);
    const QStringList before = names(w.app);
    REQUIRE(before.contains("Robot"));
    CHECK(w.app.characters().keep(w.strip().chainModel(), {"gain"}, "robot", "Mine"));
    CHECK(names(w.app).size() == before.size());
    CHECK(w.app.characters().find("Robot")->note == "Mine");
    auto* popup = w.open();
    click(popup->findChild<ui::FlatButton*>("character_more_robot"));
    CHECK(w.choose("character_menu", "Remove"));
    CHECK(w.app.characters().find("Robot")->ours);
    CHECK(names(w.app) == before);
}

TEST_CASE("a character's stages are put into the chain before the lid, in one step of undo", "[window]") {
    TemporaryFolder folder;
    CharacterWindow w(folder);
    const std::string before = w.order();
    w.strip().chainModel().setCharacter("Cathedral");
    auto* popup = w.open();
    click(popup->findChild<ui::FlatButton*>("character_more_Cathedral"));
    CHECK(w.choose("character_menu", "Insert its stages"));
    CHECK(w.on().empty());  // it would be heard twice
    const std::string lid = " limiter";
    REQUIRE(before.ends_with(lid));
    // The scene has a gain of its own already.
    CHECK(w.order() == before.substr(0, before.size() - lid.size()) + " reverb gain_2" + lid);
    w.app.history().undo();
    CHECK(w.order() == before);
}

TEST_CASE("characters that can't be used are told and left alone", "[window]") {
    TemporaryFolder folder;
    std::filesystem::create_directories(folder.path("characters"));
    const std::string broken = folder.path("characters/broken.json");
    std::ofstream(broken) << "{ \"format\": ";
    {
        Scene newer;
        newer.name = "Of a newer program";
        newer.chain() = chain_of({stage("gain"), stage("gain")});
        StageSpec& choir = newer.chain().stages[1];
        choir.id = choir.kind = "choir";
        choir.values.clear();
        choir.foreign = R"({"kind":"choir","id":"choir","voices":40})";
        REQUIRE(SceneLibrary(folder.path("characters")).save(newer).ok());
        CharacterWindow w(folder);
        CHECK_THAT(w.told(), Catch::Contains("roken.json"));
        // A stage that is not known here is left out of it.
        CHECK(w.app.characters().find("Of a newer program")->spec.stages.size() == 1);
        CHECK(std::filesystem::exists(broken));
        const auto all = w.app.characters().all().size();
        for (size_t n = all; n < kMaxCharacters; ++n)
            CHECK(w.app.characters().keep(w.strip().chainModel(), {"gain"}, QString("More %1").arg(n), {}));
        w.window.messages()->dismiss();
        CHECK_FALSE(w.app.characters().keep(w.strip().chainModel(), {"gain"}, "One too many", {}));
        CHECK_THAT(w.told(), Catch::Contains("Remove one first"));
    }
    Scene more;
    more.name = "Zz, by another program";
    more.chain() = chain_of({stage("gain")});
    REQUIRE(SceneLibrary(folder.path("characters")).save(more).ok());
    std::filesystem::remove(broken);
    CharacterWindow w(folder);
    CHECK(w.app.characters().all().size() == kMaxCharacters);
    CHECK_THAT(w.told(), Catch::Contains("Skipped: 1"));
    CHECK(std::filesystem::exists(folder.path("characters/zz-by-another-program.json")));
}

TEST_CASE("other programs lay characters over the voice by name", "[window]") {
    TemporaryFolder folder;
    CharacterWindow w(folder);
    ui::Actions actions(w.app);
    CHECK(actions.run("character", "old RADIO").isEmpty());
    CHECK(w.on() == "Old radio");
    CHECK(actions.run("character", "Old radio").isEmpty());
    CHECK(w.on().empty());
    CHECK(actions.run("hold-character", "Behind the wall on").isEmpty());
    CHECK(w.on() == "Behind the wall");
    CHECK(actions.run("hold-character", "Behind the wall off").isEmpty());
    CHECK(w.on().empty());
    CHECK_THAT(actions.run("character", "Nobody").toStdString(),
               Catch::Contains("No character named “Nobody”") && Catch::Contains("Telephone, Old radio"));
    CHECK_THAT(actions.run("hold-character", "Robot maybe").toStdString(), Catch::Contains("“on” or “off”"));
    CHECK_THAT(actions.run("hold-character", "Nobody on").toStdString(),
               Catch::Contains("No character named"));
}
