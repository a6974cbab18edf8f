// The session behind the window: inputs that fail and return, undo, names, memories, recordings.
#include <catch2/catch.hpp>

#include "app/window.h"
#include "base/file.h"
#include "base/sound_file.h"
#include "devices/file_device.h"
#include "model/strips/noise_profile_learner.h"
#include "model/takes/feed_recorder.h"

using namespace reed;
using namespace reed::test;

namespace {

/// A microphone whose troubles the test decides.
struct ScriptedMicrophone final : SoundSource {
    explicit ScriptedMicrophone(std::shared_ptr<DeviceStatus> status) : status_(std::move(status)) {}
    StreamFormat format() const override { return {48000.0, 1}; }
    Result<void> start(AudioCallback&, FeedSink*) override { return {}; }
    void stop() override {}
    DeviceStatus status() const override { return *status_; }
    std::shared_ptr<DeviceStatus> status_;
};

struct WithMicrophone : Window {
    std::shared_ptr<DeviceStatus> status = std::make_shared<DeviceStatus>();
    int made = 0;
    explicit WithMicrophone(TemporaryFolder& f) : Window(f) {
        status->running = true;
        app.audio().setSourceFactory([this](const PipeWireOptions&) -> Result<std::unique_ptr<SoundSource>> {
            ++made;
            return std::unique_ptr<SoundSource>(std::make_unique<ScriptedMicrophone>(status));
        });
        setInput({DeviceKind::pipewire, "desk_mic"});
        window.messages()->dismiss();
    }
};

std::string write_tone(const TemporaryFolder& folder, const char* name, int channels, double rate = 48000) {
    const auto left = sine(500, 0.25, 1.0, rate);
    const auto right = sine(500, 0.125, 1.0, rate);
    write_wav(folder.path(name), channels == 1 ? mono(left) : stereo(left, right), rate);
    return folder.path(name);
}

}  // namespace

TEST_CASE("three lost blocks in half a minute propose a safer size, once, and only for a microphone") {
    TemporaryFolder folder;
    WithMicrophone w(folder);
    REQUIRE(w.made == 1);
    w.status->dropouts = 2;
    REQUIRE(Window::until([&] { return w.strip().input().dropoutTimes().size() == 2; }));
    CHECK(w.told().empty());
    w.status->dropouts = 3;
    REQUIRE(Window::until([&] { return !w.told().empty(); }));
    // 256 frames are 5.3 ms, twice as many 10.7.
    CHECK_THAT(w.told(),
               Catch::Contains("3 dropouts") && Catch::Contains("5.3 ms") && Catch::Contains("10.7 ms"));
    w.window.messages()->dismiss();
    w.status->dropouts = 9;
    REQUIRE(Window::until([&] { return w.strip().input().dropoutTimes().size() == 9; }));
    CHECK(w.told().empty());
    // Followed, the next size up is proposed when that is not enough either.
    AudioSettings safer = w.app.audio().settings();
    safer.block = 512;
    w.status->dropouts = 0;  // before the next microphone is asked for the first time
    w.app.audio().setSettings(safer);
    w.opened();
    CHECK(w.made == 2);
    REQUIRE(Window::until([&] { return w.strip().input().dropoutTimes().empty(); }));
    w.status->dropouts = 4;
    REQUIRE(Window::until([&] { return !w.told().empty(); }));
    CHECK_THAT(w.told(), Catch::Contains("10.7 ms") && Catch::Contains("21.3 ms"));
    // At the largest there is nothing safer.
    safer.block = 2048;
    w.status->dropouts = 0;
    w.app.audio().setSettings(safer);
    w.opened();
    w.window.messages()->dismiss();
    w.status->dropouts = 9;
    REQUIRE(Window::until([&] { return w.strip().input().dropoutTimes().size() == 9; }));
    CHECK(w.told().empty());
}

TEST_CASE("a problem of the input is told once, and so is its end") {
    TemporaryFolder folder;
    WithMicrophone w(folder);
    QStringList told;
    QObject::connect(&w.app.notices(), &ui::Notifications::told,
                     [&](const QString& text, bool) { told << text; });
    w.status->problem = "The microphone is gone.";
    REQUIRE(Window::until([&] { return !told.isEmpty(); }));
    w.status->problem.clear();
    REQUIRE(Window::until([&] { return told.size() == 2; }));
    CHECK(told == QStringList{"The microphone is gone.", "Audio is working again."});
    // An input that was well from the start has nothing to say.
    told.clear();
    w.setInput({});
    REQUIRE(w.heard(0.5));
    CHECK(told.isEmpty());
}

TEST_CASE("another input chosen while the room is learnt ends the learning and changes nothing") {
    TemporaryFolder folder;
    Window w(folder);
    const std::string file = write_tone(folder, "tone.wav", 1);
    REQUIRE(w.heard(1.0));
    w.strip().learning().start("suppression", 4.0);
    REQUIRE(w.strip().learning().state() == ui::NoiseProfileLearner::State::listening);
    w.setInput({DeviceKind::sound_file, file});
    REQUIRE(Window::until(
        [&] { return w.strip().learning().state() == ui::NoiseProfileLearner::State::idle; }, 3.0));
    CHECK(w.strip().chainModel().stage("suppression")->taught.empty());
    CHECK(w.strip().learning().left() == 0.0);
    // It can be started again on the new one.
    w.strip().learning().start("suppression", 4.0);
    CHECK(w.strip().learning().state() == ui::NoiseProfileLearner::State::listening);
}

TEST_CASE("undo brings back values, not what was listened to at that moment") {
    TemporaryFolder folder;
    Window w(folder);
    const auto set = [&](const char* id, double value) {
        const int row = w.strip().chainModel().stage("equalizer")->stage_kind().find(id);
        REQUIRE(row >= 0);
        REQUIRE(w.strip().chainModel().setValue("equalizer", static_cast<size_t>(row), value));
    };
    const double before = w.value("equalizer", "band2_gain");
    set("listen", 2);
    CHECK_FALSE(w.app.history().canUndo());  // listening is no step
    set("band2_gain", before + 3.0);         // a step, taken while listening
    set("listen", 0);
    w.app.history().undo();
    CHECK(w.value("equalizer", "band2_gain") == before);
    CHECK(w.value("equalizer", "listen") == 0.0);
    set("listen", 2);
    w.app.history().redo();
    CHECK(w.value("equalizer", "band2_gain") == before + 3.0);
    CHECK(w.value("equalizer", "listen") == 0.0);
}

TEST_CASE("renaming a scene keeps its unsaved changes, unsaved") {
    TemporaryFolder folder;
    Window w(folder);
    const double saved = w.value("gate", "hold");
    const int hold = w.strip().chainModel().stage("gate")->stage_kind().find("hold");
    REQUIRE(w.strip().chainModel().setValue("gate", static_cast<size_t>(hold), saved + 100.0));
    REQUIRE(w.renameScene("Quiet desk"));
    CHECK(w.strip().chainModel().scene().name == "Quiet desk");
    CHECK(w.value("gate", "hold") == saved + 100.0);
    CHECK(w.app.scenes().changed());
    for (const auto& entry : w.app.scenes().scenes()) {
        CHECK(entry.scene.name != "Bench talk");
        if (entry.scene.name == "Quiet desk") {
            CHECK(entry.scene.chain().stages[static_cast<size_t>(entry.scene.chain().index_of("gate"))].value(
                      "hold") == saved);
        }
    }
    w.app.scenes().recall("Quiet desk");
    CHECK(w.value("gate", "hold") == saved);
}

TEST_CASE("a stage named as its kind is named has no name of its own") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().renameStage("gate", "Door");
    CHECK(w.strip().chainModel().stage("gate")->title == "Door");
    w.strip().chainModel().renameStage("gate", " Gate ");
    CHECK(w.strip().chainModel().stage("gate")->title.empty());
    CHECK_FALSE(w.app.scenes().changed());
    w.strip().chainModel().renameStage("gate", "gate");
    CHECK(w.strip().chainModel().stage("gate")->title == "gate");
}

TEST_CASE("names that differ in case only are one name, and no scene is lost by it") {
    TemporaryFolder folder;
    Window w(folder);
    const auto names = [&] {
        std::vector<std::string> out;
        for (const auto& e : w.app.scenes().scenes()) out.push_back(e.scene.name);
        return out;
    };
    const auto before = names();
    // As another scene's name in other letters: refused, and that one is named as it is.
    w.app.scenes().recall("Evening quiet");
    CHECK_FALSE(w.saveAs("BENCH TALK"));
    CHECK_THAT(w.window.messages()->text().toStdString(), Catch::Contains("“Bench talk”"));
    CHECK_FALSE(w.renameScene("bench TALK"));
    CHECK(w.strip().chainModel().scene().name == "Evening quiet");
    CHECK(names() == before);
    // The scene's own name in other letters: its file, not another, and not in "removed".
    REQUIRE(w.renameScene("EVENING Quiet"));
    CHECK(w.strip().chainModel().scene().name == "EVENING Quiet");
    CHECK(names().size() == before.size());
    CHECK(std::filesystem::exists(folder.path("scenes/evening-quiet.json")));
    CHECK_FALSE(std::filesystem::exists(folder.path("scenes/removed")));
    // Beyond ASCII too.
    REQUIRE(w.saveAs(QString::fromUtf8("Stra\u00dfe \u00c4rger")));
    w.app.scenes().recall("Bench talk");
    CHECK_FALSE(w.saveAs(QString::fromUtf8("stra\u00dfe \u00e4RGER")));
    CHECK(names().size() == before.size() + 1);
}

TEST_CASE("what was removed is named in the step, whatever is in focus then") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("gate");
    w.strip().chainModel().removeStage(w.strip().chainModel().focused());
    CHECK(w.app.history().undoLabel() == "Remove Gate");
    CHECK(w.strip().chainModel().stage("gate") == nullptr);
    CHECK(w.strip().chainModel().focused() != "gate");
    w.app.history().undo();
    CHECK(w.strip().chainModel().stage("gate") != nullptr);
}

TEST_CASE("a memory belongs to its stage's kind: another kind of the same id starts with its own") {
    TemporaryFolder folder;
    {
        Window first(folder);
        const int hold = first.strip().chainModel().stage("gate")->stage_kind().find("hold");
        first.strip().chainModel().toggleAb("gate");
        REQUIRE(first.strip().chainModel().activeSlot("gate") == 'B');
        REQUIRE(first.strip().chainModel().setValue("gate", static_cast<size_t>(hold), 333.0));
    }
    // As edited by hand: a scene in which "gate" is an equalizer, and one in which it is an expander.
    Scene other;
    other.name = "Other kinds";
    for (const char* kind : {"equalizer", "expander"}) {
        other.chain().stages = {stage(kind)};
        other.chain().stages[0].id = "gate";
        REQUIRE(write_file(folder.path(std::string("scenes/") + kind + ".json"), write_scene(other)).ok());
        {
            Window w(folder);
            REQUIRE(w.strip().chainModel().activeSlot("gate") == 'B');
            w.app.scenes().recall("Other kinds");
            REQUIRE(w.strip().chainModel().stage("gate")->kind == kind);
            CHECK(w.strip().chainModel().activeSlot("gate") == 'A');
            CHECK(w.app.saveState());
            w.strip().chainModel().toggleAb("gate");
            CHECK(w.strip().chainModel().stage("gate")->values ==
                  default_values(w.strip().chainModel().stage("gate")->stage_kind()));
            CHECK(w.strip().chainModel().activeSlot("gate") == 'B');
            w.app.history().undo();
            w.app.history().undo();
            CHECK(w.value("gate", "hold") == 333.0);
            // The gate's memories came back with it.
            CHECK(w.strip().chainModel().activeSlot("gate") == 'B');
            w.strip().chainModel().toggleAb("gate");
            CHECK(w.strip().chainModel().activeSlot("gate") == 'A');
            CHECK(w.value("gate", "hold") != 333.0);
            w.strip().chainModel().toggleAb("gate");
            CHECK(w.app.saveState());
        }
        std::filesystem::remove(folder.path(std::string("scenes/") + kind + ".json"));
    }
}

TEST_CASE("a recording has all of the feed, also what came just before another input") {
    TemporaryFolder folder;
    Engine engine;
    REQUIRE(engine.open({48000, 1}, {}).ok());
    ui::FeedRecorder recorder(engine);
    REQUIRE(recorder.start(folder.path("feed.wav")).ok());
    const auto run = [&](int channels, float value) {
        AudioBuffer second(channels, 48000);
        for (int c = 0; c < channels; ++c) std::fill(second[c].begin(), second[c].end(), value);
        for (size_t i = 0; i < 48000; i += 480) engine.process(second.block(i, 480));
    };
    run(1, 0.5f);
    REQUIRE(engine.open({48000, 2}, {}).ok());
    run(2, 0.25f);
    REQUIRE(engine.open({48000, 1}, {}).ok());
    run(1, 0.125f);
    REQUIRE(recorder.finish().ok());
    const auto sound = read_sound(folder.path("feed.wav"));
    REQUIRE(sound.ok());
    // Pumped only at the end, it knows the first input and the last; between two pumps there is one, at most.
    REQUIRE(sound.value().frames() == 96000);
    CHECK(sound.value()[0][47999] == 0.5f);
    CHECK(sound.value()[0][95999] == 0.125f);
}

TEST_CASE("a recording goes on when the input has other channels, and says once when it can't go on") {
    TemporaryFolder folder;
    Window w(folder);
    const auto play = [&](const std::string& file) {
        w.setInput({DeviceKind::sound_file, file});
        const auto stages = w.strip().chainModel().chain().stages;
        for (const auto& s : stages) w.strip().chainModel().setBypass(s.id, true);
    };
    play(write_tone(folder, "one.wav", 1));
    REQUIRE(Window::until([&] { return w.feed_level(0.2) > -20.0; }));
    ui::FeedRecorder recorder(w.strip().engine());
    REQUIRE(recorder.start(folder.path("feed.wav")).ok());
    const auto record_a_second = [&] {
        const auto feed = w.strip().engine().feed_history();
        const auto end = (feed->written() > 48000 ? feed->written() : 0) + 60000;
        REQUIRE(Window::until([&] { return recorder.pump().ok() && feed->written() > end; }));
        REQUIRE(recorder.pump().ok());
    };
    record_a_second();
    play(write_tone(folder, "two.wav", 2));
    record_a_second();
    CHECK(recorder.running());
    play(write_tone(folder, "slow.wav", 1, 44100));
    const auto refused = recorder.pump();
    REQUIRE_FALSE(refused.ok());
    CHECK_THAT(refused.error().text(),
               Catch::Contains("sample rate changed") && Catch::Contains("was saved"));
    CHECK_FALSE(recorder.running());
    CHECK(recorder.pump().ok());
    CHECK(recorder.finish().ok());
    const auto sound = read_sound(folder.path("feed.wav"));
    REQUIRE(sound.ok());
    REQUIRE(sound.value().channels() == 1);
    const auto& x = sound.value()[0];
    REQUIRE(x.size() > 90000);
    // The tone as it was played, then the mean of both channels: 0.25, then 0.1875.
    CHECK(db(rms(x, 4800, 4800) * std::sqrt(2.0)) == Approx(db(0.25)).margin(0.1));
    CHECK(db(rms(x, x.size() - 9600, 4800) * std::sqrt(2.0)) == Approx(db(0.1875)).margin(0.1));
}
