// What a model remembers ends, or goes along, when what it refers to does: a strip or a stage is removed, a
// scene is recalled, the input is lost, the program starts again.
#include "actions/actions.h"
#include "app/window.h"
#include "model/scenes/adaptation_model.h"
#include "model/scenes/auto_recall_rules.h"
#include "model/strips/noise_profile_learner.h"
#include "model/takes/takes_model.h"
#include "rail/strip_sidebar.h"
#include "rail/strip_tile.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// A second voice with a recording of its own.
struct TwoVoices : Window {
    ui::StripModel* guest;
    explicit TwoVoices(TemporaryFolder& f) : Window(f) {
        write_wav(f.path("guest.wav"), mono(noise(0.05, 4.0, 5)));
        guest = app.mixer().add(StripRole::voice);
        REQUIRE(guest != nullptr);
        guest->input().select({DeviceKind::sound_file, f.path("guest.wav")});
        REQUIRE(until([&] { return !guest->input().isOpening() && guest->input().status().running; }));
    }
    void solo(size_t tile) {
        QTest::mouseClick(window.rail()->tiles().at(tile)->findChild<ui::FlatButton*>("strip_alone"),
                          Qt::LeftButton);
    }
};

/// Level in dBFS of `seconds` of the feed from `from` seconds after frame `start`; waits for it.
double feed_level_after(Window& w, std::int64_t start, double from, double seconds) {
    const double rate = w.strip().engine().format().sample_rate;
    const auto feed = w.strip().engine().feed_history();
    const auto first = start + static_cast<std::int64_t>(from * rate);
    const auto frames = static_cast<int>(seconds * rate);
    REQUIRE(Window::until([&] { return feed->written() >= first + frames; }));
    std::vector<float> left(static_cast<size_t>(frames)), right(left);
    float* rows[2] = {left.data(), right.data()};
    REQUIRE(feed->read(first, frames, rows));
    return db(rms(left));
}

}  // namespace

TEST_CASE("solo ends with its strip, and goes along when a recall gives the strip another id") {
    TemporaryFolder folder;
    TwoVoices w(folder);
    w.solo(1);
    REQUIRE(w.app.context().monitor.solo() == "guest");
    w.app.mixer().remove("guest");
    CHECK(w.app.context().monitor.solo().empty());
    // Undo brings the strip back, not its solo.
    w.app.history().undo();
    REQUIRE(w.app.mixer().find("guest") != nullptr);
    CHECK(w.app.context().monitor.solo().empty());

    w.solo(0);
    REQUIRE(w.app.context().monitor.solo() == "voice");
    Scene renamed = w.app.mixer().scene();
    renamed.name = "With a host";
    renamed.desk.strips.front().id = "host";
    w.app.mixer().adopt(renamed, "Recall", Fade::quick);
    CHECK(w.app.context().monitor.solo() == "host");
    CHECK(w.window.rail()->tiles().at(0)->findChild<ui::FlatButton*>("strip_alone")->isChecked());
    w.solo(0);
    CHECK(w.app.context().monitor.solo().empty());
}

TEST_CASE("a comparison with a stage's other settings ends with the stage, and the loop goes on") {
    TemporaryFolder folder;
    Window w(folder);
    REQUIRE(w.heard(2.0));
    REQUIRE(w.app.takes().keep(2.0).isEmpty());
    REQUIRE(Window::until([&] { return !w.app.takes().chosen().path.empty(); }));
    w.strip().chainModel().focus("compressor");
    w.strip().chainModel().toggleAb("compressor");
    w.strip().chainModel().setValue("compressor", 0, -40.0);
    w.app.takes().compare({ui::ComparisonTarget::What::other_memory, {}});
    REQUIRE(w.app.takes().comparing());
    QStringList told;
    QObject here;
    QObject::connect(&w.app.notices(), &ui::Notifications::told, &here,
                     [&](const QString& text) { told << text; });
    while (!w.strip().chainModel().chain().stages.empty())
        w.strip().chainModel().removeStage(w.strip().chainModel().chain().stages.front().id);
    CHECK(Window::until([&] { return !w.app.takes().comparing(); }));
    CHECK(w.app.takes().looping());
    CHECK(told.join(' ').contains("Nothing to compare with"));
}

TEST_CASE("learning ends when its stage is removed, its scene is replaced or its input is another one") {
    TemporaryFolder folder;
    Window w(folder);
    const auto learn = [&] {
        w.strip().chainModel().focus("suppression");
        w.strip().learning().start("suppression", 5.0);
        REQUIRE(w.strip().learning().state() == ui::NoiseProfileLearner::State::listening);
    };
    const auto idle = [&] { return w.strip().learning().state() == ui::NoiseProfileLearner::State::idle; };
    learn();
    w.strip().chainModel().removeStage("suppression");
    CHECK(Window::until(idle));
    w.app.history().undo();

    learn();
    Scene empty = w.app.mixer().scene();
    empty.name = "Nothing";
    empty.chain().stages.clear();
    w.app.mixer().adopt(empty, "Recall", Fade::quick);
    CHECK(Window::until(idle));
    w.app.history().undo();

    learn();
    write_wav(folder.path("other.wav"), mono(noise(0.01, 3.0, 4)));
    w.setInput({DeviceKind::sound_file, folder.path("other.wav")});
    CHECK(Window::until(idle));
    CHECK(w.strip().chainModel().stage("suppression")->taught == LearnedData{});
}

TEST_CASE("an adaptation that was found for a strip changes nothing when the strip is gone") {
    TemporaryFolder folder;
    TwoVoices w(folder);
    w.app.mixer().focus("guest");
    auto& adaptation = w.app.adaptation();
    QString why;
    QObject here;
    QObject::connect(&adaptation, &ui::AdaptationModel::failed, &here,
                     [&](const QString& text) { why = text; });
    adaptation.look();
    w.app.mixer().remove("guest");
    REQUIRE(Window::until([&] { return !adaptation.looking(); }));
    const Scene before = w.app.mixer().scene();
    adaptation.apply();
    CHECK(w.app.mixer().scene() == before);
}

TEST_CASE("a bookmark whose strip or stage is gone says so, and leads there again when it is back") {
    TemporaryFolder folder;
    TwoVoices w(folder);
    w.app.mixer().focus("guest");
    w.guest->chainModel().focus("compressor");
    REQUIRE(w.window.actions().run("set-bookmark", "2").isEmpty());
    w.app.mixer().focus("voice");
    w.app.mixer().remove("guest");
    CHECK_THAT(w.window.actions().run("bookmark", "2").toStdString(),
               Catch::Contains("No strip named “guest”"));
    w.app.mixer().restoreRemoved();
    w.app.mixer().focus("voice");
    CHECK(w.window.actions().run("bookmark", "2").isEmpty());
    CHECK(w.app.mixer().current().chainModel().spec().id == "guest");
    w.app.mixer().current().chainModel().removeStage("compressor");
    CHECK_THAT(w.window.actions().run("bookmark", "2").toStdString(),
               Catch::Contains("No stage named “compressor”"));
}

TEST_CASE("a character that is held on a strip ends with the strip") {
    TemporaryFolder folder;
    TwoVoices w(folder);
    w.app.mixer().focus("guest");
    REQUIRE(w.window.actions().run("hold-character", "Robot on").isEmpty());
    REQUIRE(w.guest->chainModel().character() == "Robot");
    w.app.mixer().remove("guest");
    CHECK(w.window.actions().run("hold-character", "Robot off").isEmpty());
    CHECK(w.strip().chainModel().character().empty());
    w.app.mixer().restoreRemoved();
    CHECK(w.app.mixer().find("guest")->chainModel().character().empty());
}

TEST_CASE("a recall takes the scene's transition time, and no rule recalls the scene that is on") {
    TemporaryFolder folder;
    Window w(folder);
    write_wav(folder.path("tone.wav"), mono(sine(1000, 0.05, 30.0)));
    w.setInput({DeviceKind::sound_file, folder.path("tone.wav")});
    Scene soft = w.app.mixer().scene();
    soft.chain().stages.clear();
    soft.fade = 3.0;
    soft.name = "Loud in three seconds";
    soft.desk.strips.front().fader = 12.0;
    w.app.mixer().adopt(soft, "Recall", Fade::quick);
    REQUIRE(w.save());
    soft.name = "Quiet";
    soft.desk.strips.front().fader = 0.0;
    w.app.mixer().adopt(soft, "Recall", Fade::quick);
    REQUIRE(w.save());
    const auto feed = w.strip().engine().feed_history();
    const double quiet = feed_level_after(w, feed->written(), 0.5, 0.2);
    w.app.scenes().recall("Loud in three seconds");
    const std::int64_t start = feed->written();
    // A third of the way: in between, whatever the curve.
    const double between = feed_level_after(w, start, 0.9, 0.1);
    CHECK(between > quiet + 0.5);
    CHECK(between < quiet + 11.0);
    CHECK(feed_level_after(w, start, 4.0, 0.2) == Approx(quiet + 12.0).margin(0.2));

    // A rule for the scene that is on: nothing is recalled, said, or undone later.
    std::int64_t now = 0;
    auto& rules = w.app.recallRules();
    rules.setClock([&now] { return now; });
    rules.add({.when = RecallRule::When::program_plays,
               .name = "Game",
               .scene = "Loud in three seconds",
               .back = true});
    PipeWireSnapshot picture;
    picture.connected = true;
    rules.follow(picture);
    const QString undo = w.app.history().undoLabel();
    QStringList told;
    QObject here;
    QObject::connect(&w.app.notices(), &ui::Notifications::told, &here,
                     [&](const QString& text) { told << text; });
    picture.programs.push_back({1, "Game", "", ""});
    now += 20'000;
    rules.follow(picture);
    CHECK(w.app.mixer().name() == "Loud in three seconds");
    CHECK(w.app.history().undoLabel() == undo);
    CHECK_FALSE(told.join(' ').contains("recalled"));
    w.app.scenes().recall("Quiet");
    picture.programs.clear();
    now += 20'000;
    rules.follow(picture);
    now += 20'000;
    rules.follow(picture);
    CHECK(w.app.mixer().name() == "Quiet");
}

TEST_CASE("what the talk shortcut does is remembered") {
    TemporaryFolder folder;
    using TalkKey = ui::Preferences::TalkKey;
    for (const TalkKey key : {TalkKey::mutes, TalkKey::talks, TalkKey::toggles}) {
        {
            Window w(folder);
            w.app.preferences().setTalkKey(key);
            CHECK(w.app.saveState());
        }
        Window w(folder);
        CHECK(w.app.preferences().talkKey() == key);
        // With a key to talk the microphone is muted until it is held.
        CHECK((key != TalkKey::talks || w.app.mute().on()));
        w.app.mute().set(false);
    }
}

TEST_CASE("a scene counts as changed by each part of it, and not by what is of the moment only") {
    TemporaryFolder folder;
    TwoVoices w(folder);
    REQUIRE(w.save());
    const auto& scenes = w.app.scenes();
    REQUIRE_FALSE(scenes.changed());
    const auto changes = [&](const char* what, const auto& change) {
        INFO(what);
        change();
        CHECK(scenes.changed());
        CHECK_FALSE(scenes.changes().empty());
        w.app.history().undo();
        CHECK_FALSE(scenes.changed());
    };
    ui::ChainModel& chain = w.guest->chainModel();
    changes("fader", [&] { chain.setFader(-3.0); });
    changes("mute", [&] { chain.setStripMute(true); });
    changes("name", [&] { chain.setStripName("Anna"); });
    changes("colour", [&] { chain.setColour((chain.spec().colour + 1) % kStripColours); });
    changes("value", [&] { chain.setValue("gate", 3, 77.0); });
    changes("bypass", [&] { chain.setBypass("gate", true); });
    changes("title", [&] { chain.renameStage("gate", "Door"); });
    changes("order", [&] { chain.moveStage("gate", 0); });
    changes("sidechain", [&] { w.app.mixer().setSidechain(*w.guest, "gate", "voice"); });
    changes("distance", [&] { w.app.mixer().setTargetDistance(6.0, 10.0); });
    changes("order of strips", [&] { w.app.mixer().move("guest", -1); });
    // A band that is listened to is of the moment.
    const StageKind& equalizer = *find_stage_kind("equalizer");
    const auto transient = std::ranges::find_if(equalizer.parameters, &Parameter::transient);
    REQUIRE(transient != equalizer.parameters.end());
    REQUIRE(chain.setValue("equalizer", static_cast<size_t>(transient - equalizer.parameters.begin()), 1.0));
    CHECK_FALSE(scenes.changed());
}
