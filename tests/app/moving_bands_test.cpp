// Bands that move: told so in the window, placed by sight, seen while they do.
#include <catch2/catch.hpp>
#include <cmath>

#include "app/window.h"
#include "model/chain/band_history.h"

using namespace reed;
using namespace reed::test;

namespace {

/// The equalizer of a window, its fifth band (a high shelf) chosen.
struct Bright : Window {
    explicit Bright(TemporaryFolder& f) : Window(f) {
        strip().chainModel().focus("equalizer");
        curve = find<ui::EqCurve>("eq_curve");
        curve->chooseBand(4);
    }
    void set(const char* id, double value) {
        strip().chainModel().setValue("equalizer", static_cast<size_t>(kEqualizerStage.find(id)), value);
    }
    ui::EqCurve* curve;
};

}  // namespace

TEST_CASE("a band is told to move on a page of its own, and what it has no use for is not there") {
    TemporaryFolder folder;
    Bright w(folder);
    auto* moves = w.find<ui::FlatButton>("moves_button");
    REQUIRE(moves->isEnabled());
    CHECK_FALSE(w.curve->thresholdMark());
    CHECK(w.field("band5_gain")->isVisible());
    QTest::mouseClick(moves, Qt::LeftButton);
    CHECK(w.field("band5_gain") == nullptr);
    auto* choice = w.field("band5_moves");
    REQUIRE(choice != nullptr);
    CHECK_FALSE(w.field("band5_threshold")->isVisible());
    choice->setFocus();
    QTest::keyClick(choice, Qt::Key_Right);
    CHECK(w.value("equalizer", "band5_moves") == 1.0);
    for (const char* id : {"band5_threshold", "band5_ratio", "band5_attack", "band5_release", "band5_depth"})
        CHECK(w.field(id)->isVisible());
    CHECK(w.curve->thresholdMark());
    CHECK(w.app.history().undoLabel().toStdString().find("dynamics") != std::string::npos);
    // Another band, another page; back it is still the page of movements.
    QTest::mouseClick(w.find<ui::FlatButton>("previous_band"), Qt::LeftButton);
    CHECK(w.field("band4_moves") != nullptr);
    // A cut has no gain: back to its shape.
    w.curve->chooseBand(0);
    CHECK(w.field("band1_slope")->isVisible());
    CHECK_FALSE(moves->isEnabled());
    CHECK_FALSE(moves->isChecked());
    w.curve->chooseBand(4);
    CHECK(w.field("band5_gain")->isVisible());
    w.app.history().undo();
    CHECK_FALSE(w.curve->thresholdMark());
}

TEST_CASE("a threshold is dragged among the levels of the band's own range, and the band follows") {
    TemporaryFolder folder;
    Bright w(folder);
    w.set("band5_moves", 1);
    w.set("band5_threshold", 0);
    CHECK(w.curve->dynamicsText() == "Measuring this band…");
    const auto band = [&]() -> const ui::LevelHistogram& { return w.curve->watch().band(4); };
    REQUIRE(Window::until([&] { return band().heard > 150; }, 60.0));
    // The voice comes and goes; its range is under the whole of it.
    CHECK(band().quantile(0.98) > band().quantile(0.1) + 10.0);
    CHECK(band().quantile(0.98) < w.strip().levels().taps[0].peak);
    CHECK(band().farthest == 0.0);
    CHECK(w.curve->dynamicsText().startsWith("No change: the band peaks at "));
    CHECK(w.curve->watch().band(3).heard == 0.0);
    // Down into its levels, in one step of undo.
    const double wanted = std::round(band().quantile(0.9));
    const double frequency = w.value("equalizer", "band5_frequency");
    const QPointF from = *w.curve->thresholdMark();
    const QPoint by(0, static_cast<int>(std::lround(w.curve->levelY(wanted) - from.y())));
    Window::drag(w.curve, from.toPoint() + QPoint(10, 0), by);
    CHECK(w.value("equalizer", "band5_threshold") == Approx(wanted).margin(1.5));
    CHECK(w.value("equalizer", "band5_frequency") == frequency);
    CHECK(w.curve->thresholdMark()->y() == Approx(w.curve->levelY(wanted)).margin(4.0));
    REQUIRE(Window::until([&] { return band().farthest < -0.5; }, 60.0));
    REQUIRE(Window::until([&] { return w.curve->dynamicsText().startsWith("Cut "); }, 60.0));
    w.set("band5_threshold", -80);
    w.set("band5_ratio", 20);
    REQUIRE(
        Window::until([&] { return w.curve->dynamicsText().startsWith("Cutting most of the time"); }, 90.0));
    REQUIRE(Window::until([&] { return band().moved < -w.value("equalizer", "band5_depth") + 1.0; }));
    w.app.history().undo();
    w.app.history().undo();
    CHECK(w.value("equalizer", "band5_threshold") == Approx(wanted).margin(1.5));
    w.app.history().undo();
    CHECK(w.value("equalizer", "band5_threshold") == 0.0);
    // It is forgotten with the movement, and with another range.
    w.set("band5_frequency", 3000);
    REQUIRE(Window::until([&] { return band().heard < 60; }));
    w.set("band5_moves", 0);
    REQUIRE(Window::until([&] { return band().heard == 0.0; }));
    CHECK(w.curve->dynamicsText().isEmpty());
}

TEST_CASE("what a band did lately is forgotten by and by, and what is not heard does not count") {
    std::vector<double> values;
    for (const Parameter& p : kEqualizerStage.parameters) values.push_back(p.default_value);
    const size_t row = 4 * kBandParameters;
    values[row + kBandMoves] = 1.0;
    std::vector<float> told(2 * kEqualizerBands, -150.0f);
    ui::BandHistory watch;
    const auto tell = [&](double level, double moved, double seconds) {
        told[8] = static_cast<float>(level);
        told[9] = static_cast<float>(moved);
        for (double t = 0.0; t < seconds; t += 0.03) watch.add(values, told, 0.03);
    };
    tell(-150, 0, 3.0);
    CHECK(watch.band(4).heard == 0.0);
    tell(-40.5, 0, 10.0);
    tell(-20.5, -6, 10.0);
    const auto& b = watch.band(4);
    // The newer half counts for more: exp(-10 / 15) against 1.
    CHECK(b.share(79) == Approx(1.0 / (1.0 + std::exp(-10.0 / 15.0))).margin(0.01));
    CHECK(b.share(59) + b.share(79) == Approx(1.0).margin(1e-6));
    CHECK(b.quantile(0.2) == -40.0);
    CHECK(b.quantile(0.9) == -20.0);
    CHECK(b.farthest == -6.0);
    tell(-40.5, 0, 1.0);
    CHECK(b.moved == 0.0);
    CHECK(b.farthest == Approx(-3.0).margin(0.2));
    tell(-40.5, 0, 2.0);
    CHECK(b.farthest == Approx(0.0).margin(0.01));
    // The curve of the moment and the one of lately.
    tell(-20.5, -6, 0.1);
    CHECK(watch.response_db(values, 18000, 48000, [](const auto& x) { return x.moved; }) ==
          Approx(-6.0).margin(0.3));
    CHECK(watch.response_db(values, 50, 48000, [](const auto& x) { return x.farthest; }) ==
          Approx(0.0).margin(0.05));
    values[row + kBandOn] = 0.0;
    tell(-20.5, -6, 0.1);
    CHECK(b.heard == 0.0);
}
