// The parts of the model behind the window: what changes tell, what a reference to a stage is worth, and
// inputs that are opened while everything goes on.
#include <catch2/catch.hpp>
#include <future>

#include "app/window.h"
#include "model/chain/stage_ref.h"

using namespace reed;
using namespace reed::test;

namespace {

/// What a chain tells of its changes, in order.
struct Told {
    QStringList all;
    explicit Told(ui::ChainModel& strip) {
        QObject::connect(&strip, &ui::ChainModel::structureChanged, &context_,
                         [this] { all << "structure"; });
        QObject::connect(&strip, &ui::ChainModel::stageChanged, &context_,
                         [this](const QString& id) { all << id; });
        QObject::connect(&strip, &ui::ChainModel::focusChanged, &context_, [this] { all << "focus"; });
    }
    QStringList take() { return std::exchange(all, {}); }

  private:
    QObject context_;
};

size_t row(const char* kind, const char* parameter) {
    return static_cast<size_t>(find_stage_kind(kind)->find(parameter));
}

/// A microphone that is opened when the test says so.
struct SlowMicrophones {
    std::map<std::string, std::promise<std::optional<Error>>> waiting;
    std::mutex mutex;

    struct Microphone final : SoundSource {
        StreamFormat format() const override { return {48000.0, 1}; }
        Result<void> start(AudioCallback&, FeedSink*) override { return {}; }
        void stop() override {}
        DeviceStatus status() const override {
            DeviceStatus out;
            out.running = true;
            return out;
        }
    };
    ui::AudioSystem::SourceFactory maker() {
        return [this](const PipeWireOptions& options) -> Result<std::unique_ptr<SoundSource>> {
            std::future<std::optional<Error>> word;
            {
                const std::lock_guard lock(mutex);
                word = waiting[options.source].get_future();
            }
            if (word.wait_for(std::chrono::minutes(1)) != std::future_status::ready)
                return Error{"the test has not answered.", options.source, ""};
            if (const auto problem = word.get()) return *problem;
            return std::unique_ptr<SoundSource>(std::make_unique<Microphone>());
        };
    }
    bool asked(const std::string& name) {
        const std::lock_guard lock(mutex);
        return waiting.contains(name);
    }
    void answer(const std::string& name, std::optional<Error> problem = {}) {
        const std::lock_guard lock(mutex);
        waiting[name].set_value(std::move(problem));
    }
};

}  // namespace

TEST_CASE("a change tells whether stages, one stage, or the focus are others") {
    TemporaryFolder folder;
    Window w(folder);
    ui::ChainModel& strip = w.strip().chainModel();
    Told told(strip);
    int any = 0;
    QObject::connect(&strip, &ui::ChainModel::changed, &w.window, [&] { ++any; });
    REQUIRE(strip.setValue("gate", row("gate", "hold"), 321.0));
    CHECK(told.take() == QStringList{"gate"});
    strip.setBypass("equalizer", true);
    CHECK(told.take() == QStringList{"equalizer"});
    strip.toggleAb("gate");
    CHECK(told.take() == QStringList{"gate"});
    strip.renameStage("gate", "Door");
    CHECK(told.take() == QStringList{"structure"});
    strip.moveStage("gate", 0);
    CHECK(told.take() == QStringList{"structure"});
    strip.duplicateStage("gate");
    CHECK(told.take() == QStringList{"structure", "focus"});
    strip.focus("limiter");
    CHECK(told.take() == QStringList{"focus"});
    CHECK(any == 6);
    // Nothing new is nothing to tell.
    REQUIRE(strip.setValue("gate", row("gate", "hold"), 321.0));
    strip.focus("limiter");
    CHECK(told.take().isEmpty());
    CHECK(any == 6);
}

TEST_CASE("what was asked of a chain stays valid until the event is done, whatever changes meanwhile") {
    TemporaryFolder folder;
    Window w(folder);
    ui::ChainModel& strip = w.strip().chainModel();
    const StageSpec* gate = strip.stage("gate");
    const std::string& id = gate->id;
    const double hold = gate->value("hold");
    const ui::SharedState state = strip.state();
    for (int i = 1; i <= 50; ++i) REQUIRE(strip.setValue(id, row("gate", "hold"), 300.0 + i));
    strip.removeStage(id);
    CHECK(id == "gate");  // under the address sanitizer this would fail
    CHECK(gate->value("hold") == hold);
    QTest::qWait(1);
    CHECK(state->scene.chain().index_of("gate") >= 0);
    CHECK(strip.stage("gate") == nullptr);
    // All fifty were one drag.
    w.app.history().undo();
    w.app.history().undo();
    CHECK(*strip.state() == *state);
}

TEST_CASE("undo and redo go across flips of memories, with what is in both") {
    TemporaryFolder folder;
    Window w(folder);
    ui::ChainModel& strip = w.strip().chainModel();
    const size_t hold = row("gate", "hold");
    const auto now = [&] { return std::pair(strip.activeSlot("gate"), w.value("gate", "hold")); };
    std::vector<std::pair<char, double>> seen{now()};
    const auto note = [&] { seen.push_back(now()); };
    strip.toggleAb("gate");
    note();
    strip.setValue("gate", hold, 111.0);
    note();
    strip.toggleAb("gate");
    note();
    strip.setValue("gate", hold, 222.0);
    note();
    strip.toggleAb("gate");
    note();
    CHECK(seen.back() == std::pair('B', 111.0));
    for (size_t i = seen.size() - 1; i-- > 0;) {
        w.app.history().undo();
        CHECK(now() == seen[i]);
    }
    CHECK_FALSE(w.app.history().canUndo());
    for (size_t i = 1; i < seen.size(); ++i) {
        w.app.history().redo();
        CHECK(now() == seen[i]);
    }
    strip.toggleAb("gate");
    CHECK(now() == std::pair('A', 222.0));
    // Another scene with a gate has its memories too.
    Scene other = strip.scene();
    other.name = "another";
    strip.adopt(other, "other", Fade::quick);
    strip.toggleAb("gate");
    CHECK(now() == std::pair('B', 111.0));
}

TEST_CASE("a reference to a stage holds values in their range, and ends with the stage or its kind") {
    TemporaryFolder folder;
    Window w(folder);
    ui::ChainModel& strip = w.strip().chainModel();
    const ui::StageRef gate(strip, "gate");
    const size_t hold = row("gate", "hold");
    gate.drag(hold, 123.456);
    CHECK(w.value("gate", "hold") == round_value(find_stage_kind("gate")->parameters[hold], 123.456));
    gate.drag(hold, 1e9);
    CHECK(w.value("gate", "hold") == find_stage_kind("gate")->parameters[hold].maximum);
    gate.turn(hold, -1.0, false);
    CHECK(w.value("gate", "hold") < find_stage_kind("gate")->parameters[hold].maximum);
    // One drag; after done() another.
    const double before = w.value("gate", "hold");
    gate.done();
    gate.drag(hold, 50.0);
    gate.drag(hold, 60.0);
    w.app.history().undo();
    CHECK(w.value("gate", "hold") == before);
    CHECK_FALSE(gate.set(hold, -5.0));
    CHECK_THAT(w.told(), Catch::Contains("outside"));
    // Who shows it is told of its changes, and of none of another stage.
    int shown = 0;
    gate.onChange(&w.window, [&] { ++shown; });
    gate.drag(hold, 70.0);
    CHECK(shown == 1);
    strip.setBypass("limiter", true);
    CHECK(shown == 1);
    strip.moveStage("limiter", 0);
    CHECK(shown == 2);
    // Another kind by the same id is another stage.
    Scene other = strip.scene();
    StageSpec& s = other.chain().stages[static_cast<size_t>(other.chain().index_of("gate"))];
    s = stage("expander");
    s.id = "gate";
    strip.adopt(other, "other", Fade::quick);
    CHECK(gate.spec() == nullptr);
    CHECK(gate.index() == -1);
    gate.drag(hold, 50.0);
    gate.turn(hold, 1.0, false);
    CHECK_FALSE(gate.set(hold, 50.0));
    CHECK(strip.stage("gate")->values == default_values(*find_stage_kind("expander")));
    w.app.history().undo();
    CHECK(gate.index() >= 0);
    strip.removeStage("gate");
    CHECK(gate.spec() == nullptr);
}

TEST_CASE("while an input is opened the one before sounds on, and what is changed meanwhile is kept") {
    TemporaryFolder folder;
    SlowMicrophones slow;
    Window w(folder);
    w.app.audio().setSourceFactory(slow.maker());
    REQUIRE(w.heard(0.2));
    w.strip().input().select({DeviceKind::pipewire, "slow"});
    REQUIRE(Window::until([&] { return slow.asked("slow"); }));
    CHECK(w.strip().input().isOpening());
    CHECK(w.strip().input().choice().target == "slow");
    CHECK(w.find<ui::FlatButton>("input_button")->text() == "slow");
    const auto written = w.strip().engine().input_history()->written();
    REQUIRE(Window::until([&] { return w.strip().engine().input_history()->written() > written + 24000; }));
    w.strip().chainModel().removeStage("gate");
    REQUIRE(w.strip().chainModel().setValue("limiter", row("limiter", "ceiling"), -7.0));
    // The working state names what was chosen.
    REQUIRE(w.app.saveState());
    CHECK(load_working_state(folder.path("state/session.json")).value()->input.target == "slow");
    slow.answer("slow");
    w.opened();
    CHECK(w.strip().input().choice().target == "slow");
    CHECK(w.strip().input().simulatedRoom() == nullptr);
    REQUIRE(Window::until([&] { return w.strip().engine().chain().settled(); }));
    CHECK(w.strip().engine().chain().stage_latencies().size() ==
          w.strip().chainModel().chain().stages.size());
}

TEST_CASE("of two inputs chosen in a row the last one is opened, and one that fails leaves the one before") {
    TemporaryFolder folder;
    SlowMicrophones slow;
    Window w(folder);
    w.app.audio().setSourceFactory(slow.maker());
    w.strip().input().select({DeviceKind::pipewire, "first"});
    REQUIRE(Window::until([&] { return slow.asked("first"); }));
    w.strip().input().select({DeviceKind::pipewire, "second"});
    REQUIRE(Window::until([&] { return slow.asked("second"); }));
    slow.answer("second");
    w.opened();
    CHECK(w.strip().input().choice().target == "second");
    int opened = 0;
    QObject::connect(&w.strip().input(), &ui::InputController::opened, &w.window, [&] { ++opened; });
    slow.answer("first");  // too late
    QTest::qWait(1);
    w.strip().input().select({DeviceKind::pipewire, "third"});
    REQUIRE(Window::until([&] { return slow.asked("third"); }));
    slow.answer("third", Error{"does not answer.", "third", "Plug it in again."});
    w.opened();
    CHECK(opened == 1);
    CHECK(w.strip().input().choice().target == "second");
    CHECK(w.strip().input().status().running);
    CHECK(w.told() == "Third does not answer. Plug it in again.");
}

TEST_CASE("a stage that can't do its work says why, where it stands and where it is set, until it can") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().addStage(*find_stage_kind("widener"), 5);
    w.strip().chainModel().addStage(*find_stage_kind("balance"), 5);
    auto* advice = w.find<QLabel>("advice");
    REQUIRE(Window::until([&] { return advice->text().startsWith("The input is mono"); }));
    REQUIRE(Window::until([&] { return w.node("widener")->toolTip().contains("Needs stereo"); }));
    // Each was told once.
    QStringList told;
    for (; !w.told().empty(); w.window.messages()->dismiss()) told << QString::fromStdString(w.told());
    CHECK(told.filter("Widener: ").size() == 1);
    CHECK(told.filter("Balance: ").size() == 1);
    write_wav(folder.path("two.wav"), stereo(noise(0.1, 1.0, 1), noise(0.1, 1.0, 2)));
    w.setInput({DeviceKind::sound_file, folder.path("two.wav")});
    REQUIRE(Window::until([&] { return !advice->text().contains("mono"); }));
    REQUIRE(Window::until([&] { return !w.node("widener")->toolTip().contains("Needs stereo"); }));
    CHECK(w.strip().stageFault("widener").isEmpty());
}

TEST_CASE("what is said of a stage begins again when one of its values has changed", "[window]") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().readings().set_window(1.0);
    const auto seconds = [&] { return w.strip().findingLevels().seconds; };
    REQUIRE(Window::until([&] { return w.strip().levelsFit() && seconds() > 2.5; }));
    w.strip().chainModel().setValue("gate", row("gate", "hold"), 150.0);
    CHECK(seconds() < 1.1);
    CHECK(Window::until([&] { return seconds() > 2.5; }));
}
