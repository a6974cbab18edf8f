// What nobody sees is neither drawn nor summed up; what must go on goes on.
#include <QWindow>
#include <catch2/catch.hpp>

#include "app/window.h"
#include "deck/input_levels.h"

using namespace reed;
using namespace reed::test;

namespace {

struct Counts {
    int moved = 0, readings = 0, ticked = 0;
    explicit Counts(ui::StripModel& s) {
        QObject::connect(&s, &ui::StripModel::moved, &lives, [this] { ++moved; });
        QObject::connect(&s, &ui::StripModel::readingsChanged, &lives, [this] { ++readings; });
        QObject::connect(&s, &ui::StripModel::ticked, &lives, [this] { ++ticked; });
    }
    QObject lives;
};

}  // namespace

TEST_CASE(
    "a window that is hidden or minimised draws and sums up nothing, and is right again when it is seen") {
    TemporaryFolder folder;
    Window w(folder);
    CHECK(w.strip().isVisible());
    w.strip().chainModel().focus("equalizer");  // whose curve has the sound before and after it taken
    REQUIRE(Window::until([&] { return w.strip().levelsFit() && w.strip().levels().seconds > 1.0; }));
    REQUIRE(Window::until([&] { return w.strip().engine().chain().probed()->before.written() > 0; }));
    const bool minimised = GENERATE(false, true);
    if (minimised)
        w.window.showMinimized();
    else
        w.window.hide();
    REQUIRE(Window::until([&] { return !w.strip().isVisible(); }));
    const double summed_up = w.strip().levels().seconds;
    const auto heard = [&] { return w.strip().readings().statistics().frames(0).back().index; };
    const auto before = heard();
    Counts unseen(w.strip());
    REQUIRE(Window::until([&] { return unseen.ticked >= 3 && heard() > before + 50; }));
    CHECK(unseen.moved == 0);
    CHECK(unseen.readings == 0);
    CHECK(w.strip().levels().seconds == summed_up);
    const auto taken = w.strip().engine().chain().probed();
    const auto& probe = taken->before;
    const auto probed = probe.written();
    const auto now = heard();
    REQUIRE(Window::until([&] { return heard() > now + 50; }));
    CHECK(probe.written() == probed);
    // The feed's loudness goes on, for the verdict since the start.
    CHECK(w.strip().readings().feed().integrated.has_value());
    w.window.showNormal();
    REQUIRE(Window::until([&] { return w.strip().isVisible() && unseen.moved > 3; }));
    CHECK(w.strip().levels().seconds > summed_up);
}

TEST_CASE("clips of the source are noted while the window is hidden") {
    TemporaryFolder folder;
    Window w(folder);
    auto x = sine(300.0, 0.1, 3.0);
    write_wav(folder.path("tone.wav"), mono(x));
    w.setInput({DeviceKind::sound_file, folder.path("tone.wav")});
    auto* levels = w.find<ui::InputLevels>("input_levels");
    REQUIRE(Window::until([&] { return levels->seconds() > 0.5; }));
    w.window.hide();
    std::fill(x.begin() + 48000, x.begin() + 48200, 1.0f);
    write_wav(folder.path("clips.wav"), mono(x));
    w.setInput({DeviceKind::sound_file, folder.path("clips.wav")});
    REQUIRE(Window::until([&] { return !levels->clipAges().empty(); }));
    CHECK(levels->clipAges().size() == 1);
}

TEST_CASE("pictures come twice as often while a mouse button is held") {
    TemporaryFolder folder;
    Window w(folder);
    const auto share = [&] {
        Counts c(w.strip());
        REQUIRE(Window::until([&] { return c.ticked >= 20; }));
        return static_cast<double>(c.moved) / c.ticked;
    };
    CHECK(share() == Approx(1.0).margin(0.1));
    QTest::mousePress(w.window.windowHandle(), Qt::LeftButton, {}, QPoint(8, 795));
    CHECK(share() == Approx(2.0).margin(0.15));
    QTest::mouseRelease(w.window.windowHandle(), Qt::LeftButton, {}, QPoint(8, 795));
    REQUIRE(Window::until([&] { return QGuiApplication::mouseButtons() == Qt::NoButton; }));
    CHECK(share() == Approx(1.0).margin(0.15));
}

TEST_CASE("a moved value is told once, and as no change of focus") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("gate");
    int chains = 0;
    int focuses = 0;
    QObject lives;
    QObject::connect(&w.strip().chainModel(), &ui::ChainModel::changed, &lives, [&] { ++chains; });
    QObject::connect(&w.strip().chainModel(), &ui::ChainModel::focusChanged, &lives, [&] { ++focuses; });
    w.strip().chainModel().setValue(
        "gate", static_cast<size_t>(find_stage_kind("gate")->find("open_threshold")), -50.0);
    CHECK(chains == 1);
    CHECK(focuses == 0);
    CHECK(w.value("gate", "open_threshold") == -50.0);
    w.strip().chainModel().removeStage("gate");
    CHECK(chains == 2);
    CHECK(focuses == 1);
}

TEST_CASE("a value that the stage has not is refused") {
    TemporaryFolder folder;
    Window w(folder);
    const Scene before = w.strip().chainModel().scene();
    CHECK_FALSE(w.strip().chainModel().setValue(
        "gate", static_cast<size_t>(find_stage_kind("gate")->find("no such")), 1.0));
    CHECK_FALSE(w.strip().chainModel().setValue("no such", 0, 1.0));
    CHECK(w.strip().chainModel().scene() == before);
}

TEST_CASE("what changes while the window is hidden is shown when it is back") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("gate");
    const auto* kind = find_stage_kind("gate");
    const auto row = static_cast<size_t>(kind->find("open_threshold"));
    w.window.hide();
    REQUIRE(w.strip().chainModel().setValue("gate", row, -33.0));
    w.strip().chainModel().setBypass("gate", true);
    w.window.show();
    CHECK(w.field("open_threshold")->value() == -33.0);
    CHECK(w.handle("gate", "open_threshold")->level() == -33.0);
    CHECK(w.find<ui::FlatButton>("bypass_button")->text() == "Bypassed");
    // The scene bar says that the scene has changed, and again that it has not.
    const auto says = [&](const char* words) {
        for (const auto* b : w.window.findChildren<ui::FlatButton*>())
            if (b->text() == words && b->isVisible()) return true;
        return false;
    };
    CHECK(says("Save"));
    CHECK(says("2 changes"));
    w.app.history().undo();
    CHECK(says("1 change"));
    w.app.history().undo();
    CHECK(says("Saved"));
    // A click on the current scene does not leave it unmarked.
    auto* current = w.find<ui::FlatButton>("scene_" + QString::fromStdString(w.app.mixer().name()));
    REQUIRE(current != nullptr);
    QTest::mouseClick(current, Qt::LeftButton);
    CHECK(Window::until([&] { return current->isChecked(); }, 5.0));
}
