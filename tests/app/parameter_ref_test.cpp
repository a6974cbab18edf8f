// One address for every value: of stages, strips and headphones.
#include <limits>
#include <set>

#include "actions/actions.h"
#include "app/window.h"
#include "mixer/strip_parameters.h"
#include "model/strips/parameter_ref.h"

using namespace reed;
using namespace reed::test;
using ui::ParameterRef;

TEST_CASE("every value of a strip has one address, and takes its range and nothing else") {
    TemporaryFolder folder;
    Window w(folder);
    ui::StripModel* guest = w.app.mixer().add(StripRole::voice);
    REQUIRE(guest != nullptr);
    std::set<QString> addresses;
    for (ui::StripModel* strip : w.app.mixer().strips()) {
        size_t rows = strip_parameters().size() + monitor_parameters().size();
        for (const StageSpec& s : strip->chainModel().chain().stages) rows += s.values.size();
        const auto all = ParameterRef::all(*strip);
        CHECK(all.size() == rows);
        for (const ParameterRef& value : all) {
            INFO(value.address().toStdString());
            CHECK(addresses.insert(value.address()).second);
            const ParameterRef same = ParameterRef::at(w.app.mixer(), value.address());
            REQUIRE(same.isValid());
            CHECK(same.info() == value.info());
            const Parameter& p = *value.info();
            if (p.transient) continue;
            const double before = *value.value();
            for (const double position : {0.0, 0.37, 1.0}) {
                REQUIRE(value.setPosition(position));
                CHECK(*same.value() == Approx(position_to_value(p, position)).margin(0.06));
                CHECK(*value.value() >= p.minimum);
                CHECK(*value.value() <= p.maximum);
                CHECK(value.text() == QString::fromStdString(format_value(p, *value.value())));
            }
            CHECK(*value.position() == Approx(1.0).margin(1e-6));
            constexpr double kNan = std::numeric_limits<double>::quiet_NaN();
            constexpr double kEndless = std::numeric_limits<double>::infinity();
            for (const double bad : {kNan, kEndless, -kEndless, p.maximum + 1.0, p.minimum - 1.0})
                CHECK_FALSE(value.set(bad));
            CHECK_FALSE(value.setPosition(kNan));
            CHECK_FALSE(value.step(kNan, false));
            CHECK(*value.value() == p.maximum);
            CHECK(value.step(-1.0, false));
            CHECK((p.kind == ValueKind::choice || *value.value() < p.maximum));
            CHECK(value.set(before));
            CHECK(*value.value() == before);
        }
    }
}

TEST_CASE("an address tells its own changes, is undone, and is not valid while what it refers to is gone") {
    TemporaryFolder folder;
    Window w(folder);
    ui::StripModel* guest = w.app.mixer().add(StripRole::voice);
    REQUIRE(guest != nullptr);
    const ParameterRef hold = ParameterRef::at(w.app.mixer(), "guest/gate/hold");
    const ParameterRef fader = ParameterRef::at(w.app.mixer(), "guest/strip/fader");
    const ParameterRef volume = ParameterRef::at(w.app.mixer(), "guest/headphones/volume");
    REQUIRE(hold.isValid());
    REQUIRE(fader.isValid());
    REQUIRE(volume.isValid());
    int told[3] = {0, 0, 0};
    hold.onChange(&w.window, [&] { ++told[0]; });
    fader.onChange(&w.window, [&] { ++told[1]; });
    volume.onChange(&w.window, [&] { ++told[2]; });
    REQUIRE(hold.set(123.0));
    CHECK((told[0] == 1 && told[1] == 0 && told[2] == 0));
    REQUIRE(fader.set(-6.0));
    CHECK((told[0] == 1 && told[1] == 1 && told[2] == 0));
    REQUIRE(volume.set(-12.0));
    CHECK((told[0] == 1 && told[1] == 1 && told[2] == 1));
    // Of another stage and another strip nothing.
    w.strip().chainModel().setValue("gate", 3, 77.0);
    guest->chainModel().setBypass("limiter", true);
    CHECK((told[0] == 1 && told[1] == 1 && told[2] == 1));
    // A drag is one step.
    const double before = *fader.value();
    fader.endEdit();
    for (int i = 1; i <= 10; ++i) REQUIRE(fader.step(-1.0, true));
    fader.endEdit();
    CHECK(*fader.value() == Approx(before - 1.0).margin(1e-9));
    w.app.history().undo();
    CHECK(*fader.value() == before);

    guest->chainModel().removeStage("gate");
    CHECK_FALSE(hold.isValid());
    CHECK_FALSE(hold.value());
    CHECK(hold.text().isEmpty());
    CHECK_FALSE(hold.set(10.0));
    CHECK_FALSE(hold.step(1.0, false));
    w.app.history().undo();
    CHECK(*hold.value() == 123.0);
    w.app.mixer().remove("guest");
    REQUIRE(Window::until([&] { return !fader.isValid(); }));
    CHECK_FALSE(fader.set(0.0));
    CHECK_FALSE(ParameterRef::at(w.app.mixer(), "guest/strip/fader").isValid());
    for (const char* wrong : {"", "voice", "voice/gate", "voice/gate/hold/ms", "voice/none/hold",
                              "voice/gate/none", "none/gate/hold", "voice/strip/hold"})
        CHECK_FALSE(ParameterRef::at(w.app.mixer(), wrong).isValid());
}

TEST_CASE("actions set and step the values of strips and headphones as those of stages") {
    TemporaryFolder folder;
    Window w(folder);
    ui::StripModel* guest = w.app.mixer().add(StripRole::voice);
    REQUIRE(guest != nullptr);
    w.app.mixer().focus("voice");
    const auto run = [&](const char* id, const char* words) {
        return w.window.actions().run(id, words).toStdString();
    };
    CHECK(run("set-value", "strip fader -4.5").empty());
    CHECK(w.strip().chainModel().spec().fader == -4.5);
    CHECK(run("set-value", "guest/strip mute on").empty());
    CHECK(guest->chainModel().spec().mute);
    CHECK(run("step-value", "guest/strip fader -2").empty());
    CHECK(guest->chainModel().spec().fader < 0.0);
    CHECK(run("set-value", "guest/headphones volume -20").empty());
    CHECK(guest->monitoring().settings().volume_db == -20.0);
    CHECK(run("set-value", "guest/gate hold 250 ms").empty());
    CHECK(guest->chainModel().stage("gate")->value("hold") == 250.0);
    CHECK_THAT(run("set-value", "strip hold 3"), Catch::Contains("Available: fader, mute"));
    CHECK_THAT(run("set-value", "strip fader 40"), Catch::Contains("12"));
    CHECK_THAT(run("set-value", "strip fader nan"), Catch::Contains("nan"));
    CHECK_THAT(run("fader", "guest nan"), Catch::Contains("nan"));
    CHECK_THAT(run("adjust-fader", "guest inf"), Catch::Contains("inf"));
    CHECK_THAT(run("set-value", "nobody/strip fader 0"), Catch::Contains("No strip named “nobody”"));
    // Beyond its end a fader stays there.
    CHECK(run("fader", "guest 12").empty());
    CHECK(run("adjust-fader", "guest 6").empty());
    CHECK(guest->chainModel().spec().fader == 12.0);
}
