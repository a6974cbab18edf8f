// Several strips in the window: rail, pages, faders, keys, balance.
#include <catch2/catch.hpp>
#include <filesystem>

#include "actions/actions.h"
#include "app/window.h"
#include "deck/changes_popover.h"
#include "model/strips/mix_balance_model.h"
#include "rail/balance_view.h"
#include "rail/strip_sidebar.h"
#include "rail/strip_tile.h"
#include "support/noises.h"
#include "widgets/strip_marker.h"

using namespace reed;
using namespace reed::test;

namespace {

/// A window with a guest on a sound file, added as a person does it.
struct DeskWindow : Window {
    explicit DeskWindow(TemporaryFolder& f) : Window(f) {
        write_wav(f.path("guest.wav"), mono(spoken_words(2)));
    }

    void add(const char* entry) {
        QTest::mouseClick(find<ui::FlatButton>("main_menu"), Qt::LeftButton);
        REQUIRE(choose("main_popup", entry));
    }
    void addGuest() {
        add("Add a voice");
        window.activateWindow();
        app.mixer().current().input().select({DeviceKind::sound_file, folder.path("guest.wav")});
        REQUIRE(until([&] { return !app.mixer().current().input().isOpening(); }));
    }
    ui::StripTile* tile(size_t i) { return window.rail()->tiles().at(i); }
    using Window::strip;
    ui::StripModel& strip(size_t i) { return *app.mixer().strips().at(i); }
    const StripSpec& spec(size_t i) { return strip(i).chainModel().spec(); }
    /// Level of the newest half second of the sum in dB.
    double sum_level() {
        std::vector<float> x(24000);
        float* rows[2] = {x.data(), nullptr};
        const auto feed = app.context().live.feed_history();
        if (!feed->read(feed->written() - 24000, 24000, rows)) return -200.0;
        return db(rms(x));
    }
};

}  // namespace

TEST_CASE("a guest is added by the menu, gets a microphone, and each strip shows its own page") {
    TemporaryFolder folder;
    DeskWindow w(folder);
    CHECK_FALSE(w.window.rail()->isVisible());  // one strip looks as ever
    w.addGuest();
    REQUIRE(w.window.rail()->isVisible());
    REQUIRE(w.window.rail()->tiles().size() == 2);
    CHECK(&w.app.mixer().current() == &w.strip(1));
    CHECK(w.find<ui::FlatButton>("input_button")->text() == "guest.wav");
    CHECK(w.spec(1).shown_name() == "Guest");
    CHECK(w.spec(1).colour != w.spec(0).colour);
    REQUIRE(w.until(
        [&] { return w.strip(1).levels().taps.size() > 1 && w.strip(1).levels().taps.back().voice_known; }));
    // What is turned here is turned there.
    auto* first = w.window.diagram();
    w.strip(1).chainModel().focus("compressor");
    auto* field = w.field("threshold");
    REQUIRE(field != nullptr);
    field->setFocus();
    QTest::keyClick(field, Qt::Key_Right);
    CHECK(w.strip(1).chainModel().stage("compressor")->value("threshold") > -22.0);
    const double mine = w.strip(0).chainModel().stage("compressor")->value("threshold");
    // A click on the other tile brings the other page, and its input.
    QTest::mouseClick(w.tile(0), Qt::LeftButton, {}, QPoint(50, 50));
    CHECK(&w.app.mixer().current() == &w.strip(0));
    CHECK(w.window.diagram() != first);
    CHECK(w.window.diagram()->isVisible());
    CHECK_FALSE(first->isVisible());
    CHECK(w.find<ui::FlatButton>("input_button")->text() == "Simulated room");
    CHECK(w.strip(0).chainModel().stage("compressor")->value("threshold") == mine);
    // What was done last is undone first, wherever it was, and shown.
    w.window.activateWindow();
    QTest::keyClick(&w.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(&w.app.mixer().current() == &w.strip(1));
    CHECK(w.strip(1).chainModel().stage("compressor")->value("threshold") == -22.0);
    QTest::keyClick(&w.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(w.strip(1).chainModel().stage("compressor")->value("threshold") > -22.0);
}

TEST_CASE("undo goes across recalls, with strips that came and went, and back again") {
    TemporaryFolder folder;
    DeskWindow w(folder);
    const auto hold = [&] { return w.value("gate", "hold"); };
    const auto hold_row = static_cast<size_t>(find_stage_kind("gate")->find("hold"));
    const auto desk = [&] { return w.app.mixer().scene(); };
    const auto undo = [&] { QTest::keyClick(&w.window, Qt::Key_Z, Qt::ControlModifier); };
    const auto redo = [&] { QTest::keyClick(&w.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier); };
    std::vector<Scene> states{desk()};
    const auto note = [&] { states.push_back(desk()); };
    w.strip().chainModel().setValue("gate", hold_row, 321.0);
    note();
    w.addGuest();
    note();
    w.strip(1).chainModel().setFader(-7.5);
    note();
    w.app.mixer().setTargetDistance(12.0, 18.0);
    note();
    w.app.mixer().move("guest", -1);
    note();
    w.app.scenes().recall("Rain on tin");  // one voice
    note();
    CHECK(w.app.mixer().strips().size() == 1);
    w.strip().chainModel().setFader(-2.0);
    note();
    w.app.scenes().recall("Two at the bench");
    note();
    REQUIRE(w.app.mixer().strips().size() > 1);
    w.app.mixer().remove(w.strip(1).chainModel().spec().id);
    note();
    CHECK(w.app.mixer().canRestoreRemoved());
    w.window.activateWindow();
    for (size_t i = states.size() - 1; i-- > 0;) {
        undo();
        INFO("back to state " << i);
        CHECK(desk() == states[i]);
    }
    CHECK_FALSE(w.app.mixer().canRestoreRemoved());
    CHECK_FALSE(w.app.history().canUndo());
    CHECK(w.app.mixer().strips().size() == 1);
    for (size_t i = 1; i < states.size(); ++i) {
        redo();
        INFO("on to state " << i);
        CHECK(desk() == states[i]);
    }
    undo();
    undo();
    undo();
    CHECK(w.app.mixer().name() == "Rain on tin");
    undo();
    // The guest is there again with its input and sounds.
    REQUIRE(w.app.mixer().find("guest") != nullptr);
    CHECK(w.app.mixer().find("guest")->input().choice().target == folder.path("guest.wav"));
    CHECK(w.until([&] { return w.sum_level() > -60.0; }));
    CHECK(hold() == 321.0);
    // What is heard already is no step.
    const QString last = w.app.history().undoLabel();
    REQUIRE(w.saveAs("Guest night before"));
    w.app.scenes().recall("Guest night before");
    CHECK(w.app.history().undoLabel() == last);
    // A new name stays when what was done before it is undone.
    REQUIRE(w.saveAs("Guest night"));
    undo();
    CHECK(w.app.mixer().name() == "Guest night");
}

TEST_CASE("a strip is faded, muted, renamed, coloured, moved, removed and brought back") {
    TemporaryFolder folder;
    DeskWindow w(folder);
    w.addGuest();
    // By wheel, keys and text.
    w.wheel(w.tile(1), QPoint(40, 50), -2);
    CHECK(w.spec(1).fader == -1.0);
    auto* fader = w.find<ui::ValueField>("strip_fader");
    CHECK(fader->value() == -1.0);
    w.strip(1).chainModel().closeStep();
    fader->openEditor("-60");
    QTest::keyClick(fader->findChild<QLineEdit*>(), Qt::Key_Return);
    CHECK(w.spec(1).fader == -60.0);
    CHECK(w.spec(0).fader == 0.0);
    const auto guest = w.strip(1).engine().feed_history();
    const auto silent = [&] {
        std::vector<float> x(4800);
        float* rows[2] = {x.data(), nullptr};
        return guest->read(guest->written() - 4800, 4800, rows) && peak(x) == 0.0;
    };
    CHECK(w.until(silent));
    w.window.activateWindow();
    QTest::keyClick(&w.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.spec(1).fader == -1.0);
    // Muted by its button; the other one goes on.
    w.wheel(w.tile(1), QPoint(40, 50), 2);
    QTest::mouseClick(w.tile(1)->findChild<ui::FlatButton*>("strip_mute"), Qt::LeftButton);
    CHECK(w.spec(1).mute);
    CHECK_FALSE(w.app.mute().on());
    CHECK(w.until(silent));
    CHECK(w.tile(1)->accessibleDescription() == "Muted");
    CHECK(w.until([&] { return w.sum_level() > -50.0; }));
    // The big button silences all voices, and lets them through as they were.
    w.app.mute().set(true);
    CHECK(w.until([&] { return w.sum_level() < -150.0; }));
    w.app.mute().set(false);
    CHECK(w.until([&] { return w.sum_level() > -50.0; }));
    CHECK(silent());
    QTest::mouseClick(w.tile(1)->findChild<ui::FlatButton*>("strip_mute"), Qt::LeftButton);
    CHECK(w.until([&] { return !silent(); }));
    // Renamed by F2.
    w.tile(1)->setFocus();
    QTest::keyClick(w.tile(1), Qt::Key_F2);
    auto* name = w.tile(1)->findChild<QLineEdit*>("strip_name");
    QTest::keyClicks(name, "Apprentice");
    QTest::keyClick(name, Qt::Key_Return);
    CHECK(w.spec(1).name == "Apprentice");
    CHECK(w.tile(1)->accessibleName() == "Apprentice, selected");
    w.strip(1).chainModel().setColour(5);
    CHECK(w.spec(1).colour == 5);
    // Up, off and back, with all that belongs to it.
    QTest::keyClick(w.tile(1), Qt::Key_Up, Qt::ControlModifier);
    CHECK(w.spec(0).name == "Apprentice");
    CHECK(w.window.rail()->tiles().size() == 2);
    w.tile(0)->setFocus();
    QTest::keyClick(w.tile(0), Qt::Key_Delete);
    REQUIRE(w.app.mixer().strips().size() == 1);
    CHECK_FALSE(w.window.rail()->isVisible());
    CHECK(w.told().find("Removed Apprentice") != std::string::npos);
    CHECK(w.until([&] { return w.sum_level() > -50.0; }));
    w.add("Restore removed strip");
    REQUIRE(w.app.mixer().strips().size() == 2);
    CHECK(w.spec(0).name == "Apprentice");
    CHECK(w.spec(0).colour == 5);
    REQUIRE(w.until([&] { return !w.strip(0).input().isOpening() && w.strip(0).input().status().running; }));
    CHECK(w.strip(0).input().choice().target == folder.path("guest.wav"));
    // The first voice stays.
    w.app.mixer().remove("voice");
    CHECK(w.app.mixer().strips().size() == 2);
    CHECK(w.told().find("The first voice can't be removed") != std::string::npos);
}

TEST_CASE("no more strips than a desk has, and a guest without a microphone says so") {
    TemporaryFolder folder;
    DeskWindow w(folder);
    for (int i = 0; i < 5; ++i) REQUIRE(w.app.mixer().add(StripRole::voice) != nullptr);
    CHECK(w.app.mixer().add(StripRole::voice) == nullptr);
    CHECK(w.told().find("at most 6 voices") != std::string::npos);
    CHECK(w.app.mixer().add(StripRole::programme) != nullptr);
    CHECK(w.app.mixer().add(StripRole::programme) != nullptr);
    CHECK(w.app.mixer().add(StripRole::programme) == nullptr);
    CHECK(w.tile(2)->accessibleDescription() == "No input selected");
    // All eight stay in sight at 1280x800, with names and signs of their own.
    QTest::qWait(50);
    REQUIRE(w.window.height() == 800);
    std::set<int> colours;
    std::set<QString> names;
    for (size_t i = 0; i < 8; ++i) {
        colours.insert(w.spec(i).colour);
        names.insert(w.strip(i).name());
        const QRect at(w.tile(i)->mapTo(&w.window, QPoint(0, 0)), w.tile(i)->size());
        CHECK(w.tile(i)->isVisible());
        CHECK(w.window.rect().contains(at));
        CHECK_FALSE(at.intersects(
            QRect(w.window.editor()->mapTo(&w.window, QPoint(0, 0)), w.window.editor()->size())));
        if (i > 0) CHECK(at.top() > w.tile(i - 1)->mapTo(&w.window, QPoint(0, 0)).y() + 20);
    }
    CHECK(colours.size() == 8);
    CHECK(names.size() == 8);
    for (const char* name : {"dusk", "dawn"}) {
        ui::setTheme(name);
        for (int c = 0; c < kStripColours; ++c)
            CHECK(ui::contrastRatio(ui::stripColour(c), ui::theme().panel) >= 3.0);  // WCAG 2.2, 1.4.11
    }
}

TEST_CASE("a desk is saved, told apart from its scene, recalled, and back after a restart") {
    TemporaryFolder folder;
    {
        DeskWindow w(folder);
        w.addGuest();
        w.strip(1).chainModel().setFader(-3);
        w.app.mixer().add(StripRole::programme);
        REQUIRE(w.saveAs("Two and music"));
        const auto saved = load_scene(folder.path("scenes/two-and-music.json")).scene;
        REQUIRE(saved);
        REQUIRE(saved->desk.strips.size() == 3);
        CHECK(saved->desk.strips[2].chain.stages[0].key == "voices");
        CHECK_FALSE(w.app.scenes().changed());
        // What differs is told by strip, and taken back.
        w.strip(1).chainModel().setFader(-6);
        w.strip(1).chainModel().setValue("gate", 0, -33);
        const auto all = w.app.scenes().changes();
        REQUIRE(all.size() == 2);
        CHECK(all[0].strip == "guest");
        CHECK(all[1].what == Difference::What::strip_set);
        QTest::mouseClick(w.find<ui::FlatButton>("changes_button"), Qt::LeftButton);
        auto* popup = w.find<ui::ChangesPopover>("changes_popup");
        REQUIRE(popup != nullptr);
        QTest::mouseClick(popup->findChild<ui::FlatButton*>("back_0"), Qt::LeftButton);
        CHECK(w.strip(1).chainModel().stage("gate")->values[0] != -33);
        popup->close();
        // Another scene has one strip; this one brings all of them back, on the inputs they had.
        w.app.scenes().recall("Evening quiet");
        CHECK(w.app.mixer().strips().size() == 1);
        CHECK_FALSE(w.window.rail()->isVisible());
        w.app.scenes().recall("Two and music");
        REQUIRE(w.app.mixer().strips().size() == 3);
        CHECK(w.spec(1).fader == -3.0);
        REQUIRE(w.until([&] { return !w.strip(1).input().isOpening(); }));
        CHECK(w.strip(1).input().choice().target == folder.path("guest.wav"));
        w.strip(1).chainModel().setFader(-4);
        w.app.mixer().focus("guest");
        w.strip(1).chainModel().toggleAb("gate");
        REQUIRE(w.app.saveState());
    }
    DeskWindow again(folder);
    REQUIRE(again.app.mixer().strips().size() == 3);
    CHECK(again.spec(1).fader == -4.0);
    CHECK(&again.app.mixer().current() == &again.strip(1));
    CHECK(again.strip(1).chainModel().activeSlot("gate") == 'B');
    REQUIRE(again.until([&] { return !again.strip(1).input().isOpening(); }));
    CHECK(again.strip(1).input().choice().target == folder.path("guest.wav"));
    CHECK(again.app.scenes().changed());
}

TEST_CASE("strips are reached and set from outside, by name, id and place") {
    TemporaryFolder folder;
    DeskWindow w(folder);
    w.addGuest();
    ui::Actions& a = w.window.actions();
    CHECK(a.run("focus-at", "voice gate").isEmpty());
    CHECK(&w.app.mixer().current() == &w.strip(0));
    CHECK(w.strip(0).chainModel().focused() == "gate");
    CHECK(a.run("strip", "Guest").isEmpty());
    CHECK(&w.app.mixer().current() == &w.strip(1));
    CHECK(a.run("set", "gate hold 333").isEmpty());
    CHECK(w.strip(1).chainModel().stage("gate")->value("hold") == 333);
    CHECK(w.strip(0).chainModel().stage("gate")->value("hold") != 333);
    CHECK(a.run("fader", "guest -7.5 dB").isEmpty());
    CHECK(w.spec(1).fader == -7.5);
    CHECK(a.run("step-fader", "2 1.5").isEmpty());
    CHECK(w.spec(1).fader == -6.0);
    CHECK(a.run("mute-strip", "1").isEmpty());
    CHECK(w.spec(0).mute);
    CHECK(a.run("toggle-strip", "voice").isEmpty());
    CHECK_FALSE(w.spec(0).mute);
    CHECK(a.run("next-strip").isEmpty());
    CHECK(&w.app.mixer().current() == &w.strip(0));
    CHECK(a.run("strip", "nobody") == "No strip named “nobody”. Available: voice, guest.");
    CHECK(a.run("fader", "guest loud").contains("is not a number"));
    CHECK(a.run("fader", "guest 20").contains("outside"));
    CHECK(a.run("focus-at", "guest nothing").contains("No stage named"));
    CHECK(a.nameOf("strip", 2) == "Guest");
}

TEST_CASE("a stage is told what to listen to, and no circle is made") {
    TemporaryFolder folder;
    DeskWindow w(folder);
    w.strip(0).chainModel().focus("gate");
    CHECK_FALSE(w.window.editor()->findChild<ui::FlatButton*>("key_button")->isVisible());
    w.addGuest();
    w.app.mixer().focus("voice");
    auto* key = w.window.editor()->findChild<ui::FlatButton*>("key_button");
    REQUIRE(key->isVisible());
    CHECK(key->text() == "Sidechain: own signal");
    QTest::mouseClick(key, Qt::LeftButton);
    REQUIRE(w.choose("key_menu", "Guest"));
    CHECK(w.strip(0).chainModel().stage("gate")->key == "guest");
    CHECK(key->text() == "Sidechain: Guest");
    w.app.mixer().setSidechain(w.strip(1), "gate", "voice");
    CHECK(w.strip(1).chainModel().stage("gate")->key.empty());
    CHECK(w.told().find("form a loop") != std::string::npos);
    // The guest goes; the gate hears itself again.
    w.app.mixer().remove("guest");
    CHECK(w.strip(0).chainModel().stage("gate")->key.empty());
    // In a programme ducking listens to the voices by itself.
    ui::StripModel* music = w.app.mixer().add(StripRole::programme);
    REQUIRE(music != nullptr);
    music->chainModel().addStage(*find_stage_kind("ducking"), 1);
    CHECK(music->chainModel().chain().stages[1].key == "voices");
    // Alone in the headphones: without an output it is told, and nothing is lost.
    QTest::mouseClick(w.tile(0)->findChild<ui::FlatButton*>("strip_alone"), Qt::LeftButton);
    CHECK(w.app.context().monitor.solo() == "voice");
    QTest::mouseClick(w.tile(0)->findChild<ui::FlatButton*>("strip_alone"), Qt::LeftButton);
    CHECK(w.app.context().monitor.solo().empty());
}

TEST_CASE("the balance of voices and programme is shown, judged and put right by one press") {
    TemporaryFolder folder;
    DeskWindow w(folder);
    write_wav(folder.path("music.wav"), mono(noise(0.05, 8.0, 3)));
    ui::StripModel* music = w.app.mixer().add(StripRole::programme);
    REQUIRE(music != nullptr);
    music->input().select({DeviceKind::sound_file, folder.path("music.wav")});
    REQUIRE(w.until([&] { return !music->input().isOpening(); }));
    music->chainModel().removeStage("ducking");
    w.window.activateWindow();
    QTest::keyClick(&w.window, Qt::Key_L, Qt::ControlModifier);
    REQUIRE(w.window.balanceShown());
    auto* view = w.find<ui::BalanceView>("balance_view");
    REQUIRE(view->isVisible());
    ui::MixBalanceModel& balance = w.app.mixBalance();
    REQUIRE(w.until([&] { return balance.now().distance && balance.now().speech_seconds > 3.0; }));
    auto* verdict = view->findChild<QLabel*>("balance_verdict");
    CHECK(w.until([&] { return verdict->text().contains("App audio is"); }));
    auto* down = view->findChild<ui::FlatButton*>("balance_fader");
    auto* duck = view->findChild<ui::FlatButton*>("balance_duck");
    REQUIRE(w.until([&] { return down->isVisible() && duck->isVisible(); }));
    const double move = balance.wantedMove();
    REQUIRE(move < 0.0);
    QTest::mouseClick(down, Qt::LeftButton);
    CHECK(music->chainModel().spec().fader == Approx(move).margin(0.05));
    // What sounded before it counts no more: it is judged again, and right now.
    CHECK(w.until([&] { return !balance.now().distance; }));
    CHECK(w.until([&] { return balance.now().speech_seconds > 4.0; }, 60.0));
    CHECK(std::abs(balance.wantedMove()) < std::abs(move) / 2.0);
    w.app.history().undo();
    CHECK(music->chainModel().spec().fader == 0.0);
    QTest::mouseClick(duck, Qt::LeftButton);
    const StageSpec* ducking = music->chainModel().stage("ducking");
    REQUIRE(ducking != nullptr);
    CHECK(ducking->key == "voices");
    CHECK(ducking->value("amount") >= 1.0);
    // Another wanted distance is a choice of the scene's.
    const double before = w.app.mixer().targetDistance().second;
    QTest::mouseClick(view->findChild<ui::FlatButton*>("balance_distance"), Qt::LeftButton);
    REQUIRE(w.choose("distance_menu", "20 to 25 LU"));
    CHECK(w.app.mixer().targetDistance().second == 25.0);
    CHECK(before == 15.0);
    CHECK(w.app.mixer().scene().desk.target_distance_min == 20.0);
    // Without a programme there is nothing to show.
    w.app.mixer().remove(music->chainModel().spec().id);
    CHECK_FALSE(w.window.balanceShown());
    CHECK(w.until([&] { return balance.voices() == nullptr; }));
}
