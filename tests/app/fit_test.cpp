// A scene in use by another voice, beside another one, and made of recipes.
#include <catch2/catch.hpp>
#include <filesystem>

#include "app/window.h"
#include "base/decibel.h"
#include "base/sound_file.h"
#include "deck/adaptation_popover.h"
#include "deck/scene_bar.h"
#include "deck/scene_compare_popover.h"
#include "model/scenes/adaptation_model.h"
#include "model/strips/stage_presets.h"
#include "scenes/adaptation.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("a scene made for another voice is fitted to this one by one click, and undone by one") {
    TemporaryFolder folder;
    // Words in a room, 14 dB below what the scene was made for.
    std::vector<float> voice = spoken_words(4);
    const auto room = noise(db_to_gain(-60.0), static_cast<double>(voice.size()) / 48000.0, 3);
    voice = mix(voice, room);
    auto sound = mono(voice);
    Window w(folder);
    w.app.scenes().recall("Bench talk");
    Scene made = w.app.mixer().scene();
    const auto levels = measure_made_for(made.chain(), 0.0, sound, 48000);
    REQUIRE(levels);
    made.name = "A friend's";
    made.made_for["voice"] = *levels;
    w.app.scenes().takeIn({made}, ConflictPolicy::keep_both);
    REQUIRE(w.app.scenes().finish());
    for (float& x : sound[0]) x *= static_cast<float>(db_to_gain(-14.0));
    write_wav(folder.path("here.wav"), sound);
    REQUIRE(Window::until([&] { return w.strip().liveStrip().said()->written() > 3 * 48000; }, 60.0));
    w.strip().input().select({DeviceKind::sound_file, folder.path("here.wav")});
    REQUIRE(Window::until([&] { return !w.strip().input().isOpening(); }));
    auto* button = w.find<ui::FlatButton>("fit_button");
    CHECK_FALSE(button->isVisible());
    // What another microphone gave before says nothing about this one.
    CHECK(ui::recentInput(w.strip(), 30.0).sound.frames() <
          static_cast<size_t>(w.strip().liveStrip().said()->written() - w.strip().inputHistoryStart()) +
              48000);
    CHECK(w.strip().inputHistoryStart() > 0);
    w.app.scenes().recall("A friend's");
    REQUIRE(Window::until([&] { return w.app.adaptation().off(); }, 60.0));
    REQUIRE(Window::until(
        [&] { return w.strip().liveStrip().said()->written() - w.strip().inputHistoryStart() > 12 * 48000; },
        90.0));
    CHECK(button->isVisible());
    QTest::mouseClick(button, Qt::LeftButton);
    auto* popup = w.find<ui::AdaptationPopover>("fit_popup");
    REQUIRE(popup != nullptr);
    REQUIRE(Window::until([&] { return w.app.adaptation().fit().has_value(); }, 60.0));
    CHECK(popup->findChild<QLabel*>("fit_state")->text().startsWith("Tuned for speech at"));
    const auto changes = w.app.adaptation().fit()->changes;
    REQUIRE_FALSE(changes.empty());
    CHECK(changes[0].stage == "gain");
    CHECK(changes[0].to == Approx(changes[0].from + 14.0).margin(3.0));
    const Scene before = w.app.mixer().scene();
    // One alone, then all of the others.
    // A value that is called as its stage is named once, all others after their stage.
    CHECK_THAT(popup->findChild<ui::FlatButton*>("fit_0")->accessibleName().toStdString(),
               Catch::StartsWith("Apply: Gain: 0.0 dB → ") || Catch::Contains(", "));
    QTest::mouseClick(popup->findChild<ui::FlatButton*>("fit_0"), Qt::LeftButton);
    CHECK(w.value("gain", "gain") == changes[0].to);
    w.app.history().undo();
    CHECK(w.app.mixer().scene() == before);
    if (auto* open = w.find<ui::AdaptationPopover>("fit_popup"); open != nullptr) open->close();
    QTest::mouseClick(button, Qt::LeftButton);
    REQUIRE(Window::until([&] { return w.app.adaptation().fit().has_value(); }, 60.0));
    popup = w.find<ui::AdaptationPopover>("fit_popup");
    const auto all = w.app.adaptation().fit()->changes;
    QPointer<ui::FlatButton> make = popup->findChild<ui::FlatButton*>(all.size() > 1 ? "fit_all" : "fit_0");
    QTest::mouseClick(make, Qt::LeftButton);
    CHECK(w.app.mixer().scene().chain() == with_changes(before.chain(), all));
    // The offer is over: the scene in work is made for what is here.
    REQUIRE(Window::until([&] { return !w.app.adaptation().off(); }, 60.0));
    CHECK(w.app.adaptation().madeFor()->in.usual == Approx(levels->in.usual - 14.0).margin(3.0));
    w.app.history().undo();
    CHECK(w.app.mixer().scene() == before);
    // Saved, it notes what it is made for.
    REQUIRE(w.saveAs("Mine now"));
    REQUIRE(Window::until(
        [&] {
            const auto r = load_scene(folder.path("scenes/mine-now.json"));
            return r.scene && r.scene->made_for.contains("voice") &&
                   std::abs(r.scene->made_for.at("voice").in.usual - levels->in.usual + 14.0) < 3.0;
        },
        60.0));
    CHECK_FALSE(w.app.scenes().changed());
}

TEST_CASE("a scene that is right as it is goes by the levels that are here, also after the next recall") {
    TemporaryFolder folder;
    Window w(folder);
    w.app.scenes().recall("Bench talk");
    Scene other = w.app.mixer().scene();
    other.name = "Made elsewhere";
    other.made_for["voice"] = {{-70, -50, -45, -40}, {}, -20};
    w.app.scenes().takeIn({other}, ConflictPolicy::keep_both);
    REQUIRE(w.app.scenes().finish());
    w.app.scenes().recall("Made elsewhere");
    REQUIRE(Window::until(
        [&] { return w.app.adaptation().off() && ui::recentInput(w.strip(), 30.0).enough(); }, 90.0));
    QTest::mouseClick(w.find<ui::FlatButton>("fit_button"), Qt::LeftButton);
    auto* popup = w.find<ui::AdaptationPopover>("fit_popup");
    REQUIRE(popup != nullptr);
    QTest::mouseClick(popup->findChild<ui::FlatButton*>("fit_keep"), Qt::LeftButton);
    REQUIRE(Window::until([&] { return !w.app.adaptation().off(); }, 60.0));
    CHECK_FALSE(w.app.scenes().changed());
    CHECK(w.app.mixer().scene().desk == other.desk);
    REQUIRE(w.app.scenes().finish());
    const Scene* there = w.app.scenes().find("Made elsewhere");
    REQUIRE(there != nullptr);
    CHECK(there->made_for.at("voice").in.usual > -30.0);
    CHECK(load_scene(folder.path("scenes/made-elsewhere.json")).scene->made_for == there->made_for);
    // A change that is not saved is not noted in the file.
    REQUIRE(w.strip().chainModel().setValue("gain", 0, 6.0));
    const auto kept = there->made_for;
    w.app.scenes().note({{"voice", {{-60, -40, -30, -20}, {}, -10}}}, w.app.mixer().scene());
    CHECK(w.app.scenes().find("Made elsewhere")->made_for == kept);
    CHECK(w.app.adaptation().madeFor()->in.usual == -30.0);
}

TEST_CASE("another scene stands beside the one in work, in words and in levels") {
    TemporaryFolder folder;
    Window w(folder);
    w.app.scenes().recall("Bench talk");
    REQUIRE(Window::until([&] { return w.strip().liveStrip().said()->written() > 8 * 48000; }, 60.0));
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    REQUIRE(w.choose("scene_popup", "Compare with another scene…"));
    REQUIRE(w.find<ui::SceneComparePopover>("scene_beside") != nullptr);
    // A menu that closes takes it along where no window manager is; opened anew it stays.
    REQUIRE(Window::until([&] { return w.find<ui::SceneComparePopover>("scene_beside") == nullptr; }));
    w.find<ui::SceneBar>("scene_bar")->openBeside();
    auto* panel = w.find<ui::SceneComparePopover>("scene_beside");
    auto* which = panel->findChild<QComboBox*>("beside_which");
    CHECK(which->findText("Bench talk") < 0);
    auto* picture = panel->findChild<ui::SceneCompareView*>("beside_picture");
    CHECK_FALSE(picture->shown());
    which->setCurrentText("Evening quiet");
    auto* state = panel->findChild<QLabel*>("beside_state");
    REQUIRE(
        Window::until([&] { return state->text().startsWith("Recent speech through both scenes"); }, 60.0));
    CHECK(picture->shown());
    CHECK(state->text().contains("“Evening quiet”"));
    CHECK(state->text().contains("current scene, -"));
    CHECK(picture->accessibleDescription().startsWith("Current: room"));
    QStringList words;
    for (const QLabel* label : panel->findChildren<QLabel*>()) {
        if (label->isVisible()) words << label->text();
    }
    CHECK(words.contains("Differences"));
    CHECK(words.contains("only in this scene"));  // the gate
    CHECK(words.contains("Amount -30.0 dB"));
    CHECK(words.contains("-12.0 dB"));
    // Closed while it works it ends.
    which->setCurrentText("Rain on tin");
    panel->close();
    CHECK(Window::until([&] { return w.find<ui::SceneComparePopover>("scene_beside") == nullptr; }));
}

TEST_CASE("closing what fits a scene ends its work, and what can't be worked out says why") {
    TemporaryFolder folder;
    Window w(folder);
    ui::AdaptationModel& fit = w.app.adaptation();
    QString why;
    QObject::connect(&fit, &ui::AdaptationModel::failed, [&](const QString& words) { why = words; });
    Scene made = w.app.mixer().scene();
    made.made_for.clear();
    w.app.mixer().setAbout(made);
    fit.look();
    CHECK(why.contains("has no reference levels yet"));
    made.made_for["voice"] = {{-50, -30, -22, -16}, {{"gate", {-60, -30, -22, -16}}}, -20};
    w.app.mixer().setAbout(made);
    REQUIRE(Window::until([&] { return w.strip().liveStrip().said()->written() > 6 * 48000; }, 60.0));
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
    std::string said;  // the bar keeps what is serious until it was read
    QObject::connect(&w.app.notices(), &ui::Notifications::told,
                     [&](const QString& words) { said = words.toStdString(); });
    const auto press = [&](const QString& entry) {
        for (auto* old : w.window.findChildren<QMenu*>("recipe_menu")) old->setObjectName({});
        QTest::mouseClick(w.find<ui::FlatButton>("recipes_button"), Qt::LeftButton);
        return w.choose("recipe_menu", entry);
    };
    w.strip().chainModel().focus("gate");
    REQUIRE(Window::until(
        [&] {
            const auto& taps = w.strip().levels().taps;
            return w.strip().levelsFit() && w.strip().levels().seconds > 8.0 && taps[2].voice_known &&
                   taps[2].room_known;
        },
        60.0));
    const Scene before = w.app.mixer().scene();
    REQUIRE(press("Gentle gate"));
    CHECK(w.value("gate", "hold") == 240.0);
    CHECK(w.value("gate", "range") == -10.0);
    // It was kept for a room at -46 dBFS; here the gate hears what the suppression leaves of one.
    const TapLevels& tap = w.strip().levels().taps[2];
    CHECK(w.value("gate", "close_threshold") > tap.room_high - 1.0);
    CHECK(w.value("gate", "close_threshold") < -46.0);
    CHECK(w.value("gate", "open_threshold") < tap.voice_low + 3.0);
    CHECK(w.app.history().undoLabel() == "Gate: preset Gentle gate");
    CHECK_THAT(said, Catch::Contains("lengthen the hold"));
    w.app.history().undo();
    CHECK(w.app.mixer().scene() == before);
    // One of one's own, into another scene.
    REQUIRE(w.strip().chainModel().setValue(
        "gate", static_cast<size_t>(find_stage_kind("gate")->find("hold")), 333.0));
    const auto keep = [&](const char* name, const char* note) {
        REQUIRE(press("Save as preset"));
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
    CHECK_THAT(said, Catch::Contains("Enter a preset name"));
    w.app.scenes().recall("Bench talk");
    CHECK(w.value("gate", "hold") != 333.0);
    const auto gates = w.app.presets().of("gate");
    REQUIRE(gates.size() == 3);
    CHECK(gates[0].name == "Bench gate");
    CHECK_FALSE(gates[0].ours);
    CHECK(gates[1].ours);
    REQUIRE(press("Bench gate"));
    CHECK(w.value("gate", "hold") == 333.0);
    CHECK_THAT(said, Catch::Contains("The lathe stays behind."));
    // The name is taken by another kind of stage; the same kind makes way and is kept.
    w.strip().chainModel().focus("compressor");
    CHECK_FALSE(keep("bench GATE", ""));
    CHECK_THAT(said, Catch::Contains("for another stage"));
    w.strip().chainModel().focus("gate");
    CHECK(keep("bench gate", "Newer"));
    CHECK(w.app.presets().of("gate").size() == 3);
    CHECK(std::filesystem::exists(folder.path("recipes/removed/bench-gate.json")));
    w.app.presets().remove("Bench gate");
    CHECK(w.app.presets().of("gate").size() == 2);
    // Ours are for stages that there are, each with what to listen for.
    size_t ours = 0;
    for (const StageKind* kind : stage_kinds()) {
        for (const ui::StagePreset& r : w.app.presets().of(std::string(kind->id))) {
            ++ours;
            CHECK(r.note.size() > 20);
            CHECK(r.made.has_value());
        }
    }
    CHECK(ours == 29);
}
