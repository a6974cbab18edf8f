// A kind of stage that nothing in the program knows, made as CONTRIBUTING tells: chain, diagram, editor,
// finding, scene file and keys take it as it is.
#include <QMenu>
#include <atomic>

#include "actions/actions.h"
#include "app/window.h"
#include "base/decibel.h"
#include "chain/chain.h"
#include "diagram/threshold_handle.h"
#include "editors/field_grid.h"
#include "editors/stage_pane.h"
#include "scenes/scene.h"
#include "stages/missing.h"
#include "stages/registry.h"
#include "widgets/value_field.h"

using namespace reed;
using namespace reed::test;

namespace {

constexpr Parameter kTable[] = {
    parameter::marked(parameter::number("edge", "Edge", Unit::dbfs, -60.0, 0.0, -12.0, Scale::linear,
                                        "What is louder is cut off."),
                      DiagramMark::threshold, "edge"),
    parameter::toggle("flip", "Flip", false, "Turns the polarity."),
};
constexpr Readout kReadouts[] = {{"peak", "Highest so far", Unit::dbfs, "edge"}};

class Shears final : public Stage {
  public:
    void prepare(const StreamFormat&, std::span<const double> values) override { set_values(values); }
    void set_values(std::span<const double> values) override {
        edge_ = static_cast<float>(db_to_gain(values[0]));
        sign_ = values[1] >= 0.5 ? -1.0f : 1.0f;
    }
    void process(const AudioBlock& block) override {
        float highest = highest_.load(std::memory_order_relaxed);
        for (int c = 0; c < block.channels; ++c) {
            for (int i = 0; i < block.frames; ++i) {
                highest = std::max(highest, std::abs(block[c][i]));
                block[c][i] = sign_ * std::clamp(block[c][i], -edge_, edge_);
            }
        }
        highest_.store(highest, std::memory_order_relaxed);
    }
    void reset() override {}
    float readout(size_t) const override {
        return static_cast<float>(gain_to_db(highest_.load(std::memory_order_relaxed)));
    }

  private:
    float edge_ = 1.0f, sign_ = 1.0f;
    std::atomic<float> highest_{1e-5f};
};

Finding finding(const FindingContext& now) {
    if (!now.in.voice_known) return waiting_for_voice();
    if (now.in.peak <= now.values[0]) return {"whole", FindingTone::good, "Nothing is cut off.", {}, {}};
    return {"cut",
            FindingTone::warning,
            "Peaks reach {0} dB and are cut off at {1}.",
            {{now.in.peak}, {now.values[0]}},
            propose(kTable, 0, now.in.peak + 3.0, "Edge {0} dB")};
}

/// As a kind found at run time comes: its names are its own.
struct Found {
    std::string id, title, purpose;
    StageKind kind;
};
std::shared_ptr<const StageKind> shears(const std::string& id) {
    auto all = std::make_shared<Found>(Found{id, "Shears", "Cuts off what is too loud", {}});
    all->kind = {.id = all->id,
                 .title = all->title,
                 .purpose = all->purpose,
                 .parameters = kTable,
                 .make = make_stage<Shears>,
                 .finding = finding,
                 .readouts = kReadouts};
    return {all, &all->kind};
}

}  // namespace

TEST_CASE("a kind that nothing knows has its place in chain, diagram, editor and scene file", "[app]") {
    if (find_stage_kind("shears") == nullptr) REQUIRE(add_stage_kind(shears("shears")).ok());
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().addStage(*find_stage_kind("shears"), 1);
    CHECK(w.order().find("shears") != std::string::npos);
    CHECK(w.find<QLabel>("stage_title")->text() == "Shears");
    // Its finding, and the press that follows it.
    auto* advice = w.find<QLabel>("advice");
    REQUIRE(w.window.actions().run("set", "shears edge -40").isEmpty());
    REQUIRE(Window::until([&] { return advice->text().contains("are cut off at -40"); }, 60));
    REQUIRE(Window::until([&] { return w.node("shears")->toolTip().contains("are cut off"); }, 60));
    QTest::mouseClick(w.find<ui::FlatButton>("apply_button"), Qt::LeftButton);
    CHECK(w.value("shears", "edge") > -30.0);
    REQUIRE(Window::until([&] { return advice->text() == "Nothing is cut off."; }, 60));
    // What it tells, and its handle in the diagram.
    REQUIRE(
        Window::until([&] { return w.find<QLabel>("readouts")->text().startsWith("Highest so far: -"); }));
    bool handled = false;
    for (auto* handle : w.window.findChildren<ui::ThresholdHandle*>()) {
        if (!handle->accessibleName().contains("Shears")) continue;
        const double before = w.value("shears", "edge");
        handle->setFocus();
        QTest::keyClick(handle, Qt::Key_Down);
        CHECK(w.value("shears", "edge") < before);
        handled = true;
    }
    CHECK(handled);
    // Saved and read again.
    const std::string text = write_scene(w.strip().chainModel().scene());
    const auto read = read_scene(text);
    REQUIRE(read.scene.has_value());
    CHECK(read.scene->chain() == w.strip().chainModel().chain());
}

TEST_CASE("a kind that can't be right is left out, with the reason", "[app]") {
    const auto why = [](const std::shared_ptr<const StageKind>& kind) {
        const auto added = add_stage_kind(kind);
        return added.ok() ? std::string("taken") : added.error().what;
    };
    CHECK_THAT(why(shears("gate")), Catch::Contains("already"));
    CHECK_THAT(why(shears("")), Catch::Contains("needs an id"));
    static constexpr Parameter kTwice[] = {kTable[0], kTable[0]};
    auto twice = std::make_shared<StageKind>(*shears("twice"));
    twice->id = "twice";
    twice->parameters = kTwice;
    CHECK_THAT(why(twice), Catch::Contains("\"edge\" twice"));
    // Rows that it names must be there: they are looked up without a second check.
    for (const char* name : {"lift", "slow", "attack", "readout"}) {
        INFO(name);
        auto nameless = std::make_shared<StageKind>(*shears("nameless"));
        nameless->id = "nameless";
        const std::string_view gone = "gone";
        static constexpr Readout kBeside[] = {{"peak", "Highest so far", Unit::dbfs, "gone"}};
        if (name == std::string_view("lift")) nameless->lift = StageKind::Lift::makeup;
        if (name == std::string_view("slow")) nameless->slow_row = gone;
        if (name == std::string_view("attack")) nameless->timing.attack = gone;
        if (name == std::string_view("readout")) nameless->readouts = kBeside;
        CHECK_THAT(why(nameless),
                   Catch::Contains(name == std::string_view("lift") ? "lift_row" : "\"gone\""));
    }
    static constexpr Parameter kOutside[] = {
        parameter::number("edge", "Edge", Unit::dbfs, -60.0, 0.0, 12.0, Scale::linear, "")};
    auto outside = std::make_shared<StageKind>(*twice);
    outside->parameters = kOutside;
    CHECK_THAT(why(outside), Catch::Contains("has an invalid default"));
    CHECK(find_stage_kind("twice") == nullptr);
}

TEST_CASE("a kind that can't make its stage passes the sound and tells the reason", "[app]") {
    static std::string why;
    if (find_stage_kind("broken") == nullptr) {
        auto kind = std::make_shared<StageKind>();
        kind->id = "broken";
        kind->title = "Broken";
        kind->make = []() -> Result<std::unique_ptr<Stage>> {
            if (!why.empty()) return Error{why, "formants.so", "Install it again."};
            return make_passthrough_stage("made");
        };
        REQUIRE(add_stage_kind(kind).ok());
    }
    const ChainSpec spec = chain_of({stage("broken"), stage("gain")});
    why = "can't be loaded.";
    const auto chain = Chain::build(spec, {48000.0, 1});
    REQUIRE(chain.ok());
    REQUIRE(chain.value()->trouble(0) != nullptr);
    CHECK(std::string(chain.value()->trouble(0)) ==
          "formants.so can't be loaded. Install it again. The signal passes through unchanged.");
    auto sound = mono(sine(500, 0.1, 0.01));
    const auto before = sound;
    chain.value()->process(sound.block(0, 480));
    CHECK((sound[0] == before[0]));
    why.clear();
    CHECK(std::string(Chain::build(spec, {48000.0, 1}).value()->trouble(0)) == "made");
}

TEST_CASE("a stage of an unknown kind stands in the window as what it is, and comes out of it whole",
          "[app]") {
    TemporaryFolder folder;
    Window w(folder);
    const QString text = R"({"format":"dusky-reed-scene","version":1,"name":"x","stages":[)"
                         R"({"kind":"formant_bank","parameters":{"depth":[1,2]}}]})";
    REQUIRE(ui::pasteStages(w.strip().chainModel(), w.app.notices(), text, 1));
    CHECK(w.order().find("gain formant_bank") == 0);
    CHECK(w.find<QLabel>("stage_title")->text() == "formant_bank");
    REQUIRE(Window::until([&] { return w.find<QLabel>("advice")->text().contains("Unknown stage type"); }));
    REQUIRE(Window::until([&] { return w.told().find("formant_bank: Unknown stage type") == 0; }));
    CHECK_FALSE(w.find<ui::FlatButton>("memory_button")->isVisible());
    // What can be done with every stage can be done with it, and its settings stay as they were.
    w.strip().chainModel().renameStage("formant_bank", "Robber");
    w.strip().chainModel().setBypass("formant_bank", true);
    w.strip().chainModel().moveStage("formant_bank", 0);
    w.strip().chainModel().duplicateStage("formant_bank");
    w.strip().chainModel().toggleAb("formant_bank");
    w.strip().chainModel().resetStage("formant_bank");
    CHECK(w.order().find("formant_bank formant_bank_2 gain") == 0);
    REQUIRE(w.save());
    const Scene* saved = w.app.scenes().find(w.strip().chainModel().scene().name);
    REQUIRE(saved != nullptr);
    CHECK(saved->chain() == w.strip().chainModel().chain());
    CHECK(saved->chain().stages[1].foreign.find("\"depth\":[1,2]") != std::string::npos);
    CHECK(saved->chain().stages[1].title == "Robber");
    CHECK(saved->chain().stages[1].bypass);
}

namespace {
/// An editor that a kind brings with it.
struct BladeBody final : ui::StagePane {
    BladeBody(ui::StripModel& strip, const ui::StageRef& stage, QWidget* parent)
        : StagePane(strip, stage, parent) {
        setObjectName("blade_body");
        grid_ = new ui::FieldGrid(strip, stage, this);
        grid_->buildAll(4);
    }
    void refresh() override { grid_->refresh(); }
    ui::FieldGrid* fields() const override { return grid_; }
    ui::FieldGrid* grid_;
};
}  // namespace

TEST_CASE("a kind brings an editor of its own, which shows its stage and no other", "[app]") {
    if (find_stage_kind("blade") == nullptr) REQUIRE(add_stage_kind(shears("blade")).ok());
    ui::StagePane::offer(
        *find_stage_kind("blade"),
        [](ui::StripModel& strip, const ui::StageRef& stage, QWidget* parent) -> ui::StagePane* {
            return new BladeBody(strip, stage, parent);
        });
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().addStage(*find_stage_kind("blade"), 1);
    REQUIRE(w.find<QWidget>("blade_body") != nullptr);
    auto* edge = w.field("edge");
    REQUIRE(edge != nullptr);
    // Values of another stage do not get into it, nor its hand to another stage.
    w.strip().chainModel().addStage(*find_stage_kind("blade"), 2);
    QTest::keyClick(edge, Qt::Key_Up);
    CHECK(w.value("blade", "edge") > -12.0);
    CHECK(w.value("blade_2", "edge") == -12.0);
    w.strip().chainModel().focus("gate");
    REQUIRE(Window::until([&] { return w.find<QWidget>("blade_body") == nullptr; }));
}
