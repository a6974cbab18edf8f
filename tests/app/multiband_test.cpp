// The multiband's editor: ranges placed by sight.
#include <catch2/catch.hpp>
#include <cmath>

#include "app/window.h"
#include "editors/multiband_view.h"
#include "stages/multiband.h"

using namespace reed;
using namespace reed::test;

namespace {

struct Ranges : Window {
    explicit Ranges(TemporaryFolder& f) : Window(f) {
        strip().chainModel().addStage(*find_stage_kind("multiband"), 4);
        strip().chainModel().focus("multiband");
        view = find<ui::MultibandView>("range_view");
        REQUIRE(view != nullptr);
        REQUIRE(until([&] { return strip().levelsFit(); }));
    }
    void set(const char* id, double value) {
        strip().chainModel().setValue("multiband", static_cast<size_t>(kMultibandStage.find(id)), value);
    }
    QPoint inRange(int range, double level) {
        return {static_cast<int>(view->thresholdMark(range).x()), static_cast<int>(view->levelY(level))};
    }
    ui::MultibandView* view;
};

}  // namespace

TEST_CASE("a range is chosen by a click or a key, and its values are beside it") {
    TemporaryFolder folder;
    Ranges w(folder);
    auto* name = w.find<QLabel>("range_name");
    CHECK(name->text() == "Band 1: below 220 Hz");
    CHECK(w.field("range1_threshold")->isVisible());
    QTest::mouseClick(w.view, Qt::LeftButton, {}, w.inRange(1, -70));
    CHECK(w.view->range() == 1);
    CHECK(name->text() == "Band 2: 220 Hz to 3.00 kHz");
    CHECK(w.field("range1_threshold") == nullptr);
    REQUIRE(Window::until([&] { return w.field("range2_threshold")->isVisible(); }));
    CHECK(w.field("meets2") != nullptr);
    w.view->setFocus();
    QTest::keyClick(w.view, Qt::Key_Right);
    CHECK(name->text() == "Band 3: above 3.00 kHz");
    QTest::keyClick(w.view, Qt::Key_Right);
    CHECK(w.view->range() == 2);
    const double before = w.value("multiband", "range3_threshold");
    QTest::keyClick(w.view, Qt::Key_Down);
    CHECK(w.value("multiband", "range3_threshold") < before);
    Window::wheel(w.view, w.inRange(0, -70), 2);
    CHECK(w.view->range() == 0);
    CHECK(w.value("multiband", "range1_ratio") > 2.0);
    CHECK(w.value("multiband", "range3_ratio") == 2.0);
    // Listening follows the choice.
    QTest::mouseClick(w.find<ui::FlatButton>("listen_button"), Qt::LeftButton);
    CHECK(w.value("multiband", "listen") == 1.0);
    QTest::mouseClick(w.view, Qt::LeftButton, {}, w.inRange(2, -70));
    CHECK(w.value("multiband", "listen") == 3.0);
    CHECK(w.find<ui::FlatButton>("listen_button")->text() == "Solo: 3");
    // Fewer ranges: the last of them.
    w.set("ranges", 0);
    CHECK(w.view->range() == 1);
    CHECK(name->text() == "Band 2: above 220 Hz");
    CHECK(w.field("range2_threshold") != nullptr);
}

TEST_CASE("a threshold and a meeting are dragged, and what is held hangs from the top") {
    TemporaryFolder folder;
    Ranges w(folder);
    QTest::mouseClick(w.view, Qt::LeftButton, {}, w.inRange(1, -70));
    w.set("range2_threshold", 0);
    REQUIRE(Window::until([&] { return w.view->watch(1).heard > 150; }, 60.0));
    const ui::LevelHistogram& levels = w.view->watch(1);
    CHECK(std::abs(levels.farthest) < 0.01);  // dB; what it held before the move dies away for ever
    CHECK(w.view->words().startsWith("No reduction: the band peaks at -"));
    CHECK(levels.quantile(0.98) > w.view->watch(2).quantile(0.98));  // the body of a voice against its edge
    const double wanted = std::round(levels.quantile(0.8));
    const QPoint from = w.inRange(1, 0);
    Window::drag(w.view, from, QPoint(0, w.inRange(1, wanted).y() - from.y()));
    CHECK(w.value("multiband", "range2_threshold") == Approx(wanted).margin(1.5));
    CHECK_THAT(w.app.history().undoLabel().toStdString(), Catch::Contains("threshold"));
    REQUIRE(Window::until([&] { return levels.farthest > 0.5; }, 60.0));
    REQUIRE(Window::until([&] { return w.view->words().startsWith("Reduction "); }, 60.0));
    REQUIRE(
        Window::until([&] { return w.find<QLabel>("range_words")->text().startsWith("Reduction "); }, 60.0));
    w.app.history().undo();
    CHECK(w.value("multiband", "range2_threshold") == 0.0);
    // A meeting goes where it is pulled, but not past the next.
    const QPoint meeting = w.view->crossoverMark(0).toPoint();
    Window::drag(w.view, meeting, QPoint(static_cast<int>(w.view->xOf(400)) - meeting.x(), 0));
    CHECK(w.value("multiband", "meets1") == Approx(400).epsilon(0.03));
    const QPoint now = w.view->crossoverMark(0).toPoint();
    Window::drag(w.view, now, QPoint(static_cast<int>(w.view->xOf(9000)) - now.x(), 0));
    CHECK(w.value("multiband", "meets1") == Approx(3000 / 1.26).epsilon(0.03));
    w.app.history().undo();
    CHECK(w.value("multiband", "meets1") == Approx(400).epsilon(0.03));
    w.set("range1_ratio", 1);
    QTest::mouseClick(w.view, Qt::LeftButton, {}, w.inRange(0, -70));
    REQUIRE(Window::until([&] { return w.view->words().startsWith("Off at a ratio of 1:1"); }, 60.0));
}
