// A kind of stage that nothing in the program knows, made as CONTRIBUTING tells: chain, diagram, editor,
// finding, scene file and keys take it as it is.
#include <QMenu>
#include <atomic>

#include "actions/actions.h"
#include "app/window.h"
#include "base/decibel.h"
#include "diagram/threshold_handle.h"
#include "scenes/scene.h"
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

Finding finding(const Situation& now) {
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
                 .make = [] { return std::unique_ptr<Stage>(std::make_unique<Shears>()); },
                 .finding = finding,
                 .readouts = kReadouts};
    return {all, &all->kind};
}

}  // namespace

TEST_CASE("a kind that nothing knows has its place in chain, diagram, editor and scene file", "[app]") {
    if (find_stage_kind("shears") == nullptr) REQUIRE(add_stage_kind(shears("shears")).ok());
    TemporaryFolder folder;
    Window w(folder);
    w.session.addStage(*find_stage_kind("shears"), 1);
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
    const std::string text = write_scene(w.session.scene());
    const auto read = read_scene(text);
    REQUIRE(read.scene.has_value());
    CHECK(read.scene->chain == w.session.chain());
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
    static constexpr Parameter kOutside[] = {
        parameter::number("edge", "Edge", Unit::dbfs, -60.0, 0.0, 12.0, Scale::linear, "")};
    auto outside = std::make_shared<StageKind>(*twice);
    outside->parameters = kOutside;
    CHECK_THAT(why(outside), Catch::Contains("its default"));
    CHECK(find_stage_kind("twice") == nullptr);
}
