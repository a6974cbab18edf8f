// Tuning by sight: curves, resonances, levels on the diagram, memories, copying, hearing.
#include <QClipboard>
#include <QGuiApplication>
#include <catch2/catch.hpp>
#include <cmath>

#include "app/window.h"
#include "editors/ballistics_view.h"
#include "editors/level_history_view.h"
#include "editors/transfer_view.h"

using namespace reed;
using namespace reed::test;

namespace {

size_t row(const char* kind, const char* id) {
    return static_cast<size_t>(find_stage_kind(kind)->find(id));
}

/// Bands that are on.
int bandsOn(const StageSpec& s) {
    int n = 0;
    for (int b = 0; b < kEqualizerBands; ++b)
        n += s.values[static_cast<size_t>(b * kBandParameters + kBandOn)] >= 0.5 ? 1 : 0;
    return n;
}

void moveMouse(QWidget* w, QPointF at) {
    QMouseEvent move(QEvent::MouseMove, at, w->mapToGlobal(at), Qt::NoButton, Qt::NoButton, Qt::NoModifier);
    QApplication::sendEvent(w, &move);
}

}  // namespace

TEST_CASE("the curve's threshold is dragged and wheeled, and undone to the start") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("compressor");
    const double before = w.value("compressor", "threshold");
    auto* curve = w.find<ui::TransferView>("transfer_view");
    REQUIRE(curve != nullptr);
    const QPoint from(static_cast<int>(curve->xOf(before)), curve->height() / 2);
    Window::drag(curve, from, QPoint(static_cast<int>(curve->xOf(-40) - curve->xOf(before)), 0));
    CHECK(w.value("compressor", "threshold") == Approx(-40.0).margin(1.5));
    CHECK_THAT(w.app.history().undoLabel().toStdString(), Catch::Contains("Compressor: threshold -"));
    // More is taken now: the engine follows.
    REQUIRE(Window::until(
        [&] { return w.strip().levelsFit() && w.strip().levels().stages[4].deepest > 10.0; }, 60.0));
    const double dragged = w.value("compressor", "threshold");
    Window::wheel(curve, from, 1);
    CHECK(w.value("compressor", "threshold") > dragged);
    Window::wheel(curve, from, -1, Qt::ShiftModifier);
    while (w.app.history().canUndo()) w.app.history().undo();
    CHECK(w.value("compressor", "threshold") == before);
    CHECK_FALSE(w.app.scenes().changed());
}

TEST_CASE("the picture of attack and release is the stage's own movement") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("gate");
    auto* view = w.find<ui::BallisticsView>("ballistics_view");
    REQUIRE(view != nullptr);
    const double depth = w.value("gate", "range");
    CHECK(view->gainAt(5) == Approx(depth).margin(0.5));
    CHECK(view->gainAt(view->loudUntil() - 3) == Approx(0.0).margin(0.3));
    const double hold = w.value("gate", "hold");
    CHECK(view->gainAt(view->loudUntil() + 0.7 * hold) == Approx(0.0).margin(0.3));
    // One release time after the hold 63 % of the linear way is done (the definition in
    // docs/signal-maths.md).
    const double release = w.value("gate", "release");
    const double closed = std::pow(10.0, depth / 20.0);
    const double expected = 20.0 * std::log10(closed + (1.0 - closed) * std::exp(-1.0));
    CHECK(view->gainAt(view->loudUntil() + hold + release + 8) == Approx(expected).margin(1.2));
    // It follows the values.
    w.strip().chainModel().setValue("gate", row("gate", "range"), -6.0);
    REQUIRE(Window::until([&] { return std::abs(view->gainAt(5) + 6.0) < 0.3; }));
}

TEST_CASE("a resonance is found by holding F and moving the mouse, and a click makes the cut") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("equalizer");
    auto* curve = w.find<ui::EqCurve>("eq_curve");
    const int before = bandsOn(*w.strip().chainModel().stage("equalizer"));
    curve->setFocus();
    QTest::keyPress(curve, Qt::Key_F);
    CHECK(curve->finding());
    CHECK(w.value("equalizer", "find") == 1.0);
    const double target = 430.0;
    const QPointF at(curve->xOf(target), 80);
    moveMouse(curve, at);
    CHECK(w.value("equalizer", "find_frequency") == Approx(target).epsilon(0.02));
    CHECK_FALSE(w.app.history().canUndo());  // nothing of it is kept, so nothing is undone
    Window::wheel(curve, at.toPoint(), 4);
    CHECK(curve->cutDepth() == 6.0);
    QTest::mouseClick(curve, Qt::LeftButton, {}, at.toPoint());
    QTest::keyRelease(curve, Qt::Key_F);
    CHECK_FALSE(curve->finding());
    CHECK(w.value("equalizer", "find") == 0.0);
    const StageSpec& s = *w.strip().chainModel().stage("equalizer");
    CHECK(bandsOn(s) == before + 1);
    const BandSettings cut = band_settings(s.values, curve->band());
    CHECK(cut.frequency == Approx(target).epsilon(0.02));
    CHECK(cut.gain_db == -6.0);
    CHECK_THAT(w.app.history().undoLabel().toStdString(),
               Catch::Contains("Equalizer: cut 43") && Catch::Contains("by 6.0 dB"));
    w.app.history().undo();
    CHECK(bandsOn(*w.strip().chainModel().stage("equalizer")) == before);

    // Released without a click: nothing stays. Escape as well.
    QTest::keyPress(curve, Qt::Key_F);
    QTest::keyRelease(curve, Qt::Key_F);
    CHECK_FALSE(curve->finding());
    auto* button = w.find<ui::FlatButton>("find_button");
    QTest::mouseClick(button, Qt::LeftButton);
    CHECK(curve->finding());
    // It sweeps by itself while the mouse is elsewhere.
    QEvent leave(QEvent::Leave);
    QApplication::sendEvent(curve, &leave);
    QTest::qWait(150);
    const double first = w.value("equalizer", "find_frequency");
    REQUIRE(Window::until([&] { return w.value("equalizer", "find_frequency") > 1.1 * first; }, 60.0));
    QTest::keyClick(curve, Qt::Key_Escape);
    CHECK_FALSE(curve->finding());
    CHECK_FALSE(button->isChecked());
    CHECK(bandsOn(*w.strip().chainModel().stage("equalizer")) == before);
    CHECK_FALSE(w.app.scenes().changed());
    // Another stage in focus ends it too.
    QTest::mouseClick(button, Qt::LeftButton);
    w.strip().chainModel().focus("gate");
    CHECK(Window::until([&] { return w.value("equalizer", "find") == 0.0; }));
}

TEST_CASE("what sticks out of a voice is marked on the curve, and a click on the mark cuts it") {
    TemporaryFolder folder;
    Window w(folder);
    const auto boxed = run(chain_of({stage("equalizer", {{"band3_on", 1},
                                                         {"band3_type", 0},
                                                         {"band3_frequency", 430},
                                                         {"band3_gain", 15},
                                                         {"band3_q", 8}}),
                                     stage("gain", {{"gain", -12}})}),
                           spoken_words(2));
    const std::string file = folder.path("boxed.wav");
    write_wav(file, mono(mix(boxed, noise(0.0005, static_cast<double>(boxed.size()) / 48000, 3))));
    w.setInput({DeviceKind::sound_file, file});
    w.strip().chainModel().focus("equalizer");
    auto* curve = w.find<ui::EqCurve>("eq_curve");
    const auto found = [&]() -> const Resonance* {
        for (const auto& c : curve->candidates()) {
            if (std::abs(c.frequency / 430.0 - 1.0) < 0.08) return &c;
        }
        return nullptr;
    };
    REQUIRE(Window::until([&] { return found() != nullptr; }, 60.0));
    const double frequency = found()->frequency;
    QTest::mouseClick(curve, Qt::LeftButton, {}, curve->candidateMark(*found()).center().toPoint());
    const BandSettings cut = band_settings(w.strip().chainModel().stage("equalizer")->values, curve->band());
    CHECK(cut.frequency == Approx(frequency).epsilon(0.02));
    CHECK(cut.gain_db == -curve->cutDepth());
}

TEST_CASE("the spectrum is worked out only while somebody looks") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("equalizer");
    REQUIRE(Window::until([&] {
        const auto* m = w.strip().spectrum().after();
        return m != nullptr && m->frames() > 3;
    }));
    w.strip().chainModel().focus("gate");
    REQUIRE(Window::until([&] { return w.strip().engine().chain().probed()->stage.load() == -1; }, 60.0));
    // The block in which it was told so may still be under way; those after it know.
    const auto sound = w.strip().engine().input_history();
    const auto goes_on = [&](std::int64_t frames) {
        return Window::until([&, from = sound->written()] { return sound->written() > from + frames; });
    };
    REQUIRE(goes_on(9600));
    const auto written = w.strip().engine().chain().probed()->before.written();
    REQUIRE(goes_on(9600));
    CHECK(w.strip().engine().chain().probed()->before.written() == written);
}

TEST_CASE("the levels of a tap stand on the diagram, by click or key") {
    TemporaryFolder folder;
    Window w(folder);
    auto* diagram = w.window.diagram();
    REQUIRE(
        Window::until([&] { return w.strip().levelsFit() && w.strip().levels().taps[0].voice_known; }, 60.0));
    const QPoint behind_suppression(static_cast<int>(diagram->xOf(2.5)), static_cast<int>(diagram->yOf(-65)));
    moveMouse(diagram, behind_suppression);
    QTest::mouseClick(diagram, Qt::LeftButton, {}, behind_suppression);
    CHECK(diagram->levelsShown() == 2);
    QTest::mouseClick(diagram, Qt::LeftButton, {}, behind_suppression);
    CHECK(diagram->levelsShown() == -1);
    w.node("gate")->setFocus();
    QTest::keyClick(w.node("gate"), Qt::Key_L);
    CHECK(diagram->levelsShown() == 2);
    // A stage less: the taps have moved, so it closes.
    w.strip().chainModel().removeStage("gain");
    CHECK(diagram->levelsShown() == -1);
}

TEST_CASE("a stage is copied as text and pasted, and other text is refused") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().setValue("gate", row("gate", "hold"), 333.0);
    w.strip().chainModel().renameStage("gate", "Door");
    w.node("gate")->setFocus();
    QTest::keyClick(w.node("gate"), Qt::Key_C, Qt::ControlModifier);
    const QString text = QGuiApplication::clipboard()->text();
    CHECK_THAT(text.toStdString(), Catch::Contains("\"hold\": 333"));
    w.node("equalizer")->setFocus();
    QTest::keyClick(w.node("equalizer"), Qt::Key_V, Qt::ControlModifier);
    CHECK(w.order() == "gain suppression gate equalizer gate_2 compressor limiter");
    CHECK(w.value("gate_2", "hold") == 333.0);
    CHECK(w.strip().chainModel().stage("gate_2")->title == "Door");
    CHECK(w.strip().chainModel().focused() == "gate_2");
    w.app.history().undo();
    CHECK(w.order() == "gain suppression gate equalizer compressor limiter");

    QGuiApplication::clipboard()->setText("Dear friend, my gate closes at -44.");
    QTest::keyClick(w.node("equalizer"), Qt::Key_V, Qt::ControlModifier);
    CHECK(w.order() == "gain suppression gate equalizer compressor limiter");
    CHECK_THAT(w.window.messages()->text().toStdString(),
               Catch::Contains("doesn't contain a stage or scene"));
    // A whole scene, as a friend would send it.
    QGuiApplication::clipboard()->setText(
        QString::fromStdString(write_scene(w.strip().chainModel().scene())));
    w.node("limiter")->setFocus();
    QTest::keyClick(w.node("limiter"), Qt::Key_V, Qt::ControlModifier);
    CHECK(w.strip().chainModel().chain().stages.size() == 12);
}

TEST_CASE("a stage has two memories to flip between, which survive the evening") {
    TemporaryFolder folder;
    {
        Window w(folder);
        w.strip().chainModel().focus("gate");
        auto* button = w.find<ui::FlatButton>("memory_button");
        const double a = w.value("gate", "open_threshold");
        CHECK(button->text() == "Settings A");
        QTest::mouseClick(button, Qt::LeftButton);
        CHECK(button->text() == "Settings B");
        CHECK(w.value("gate", "open_threshold") == a);  // first a copy
        w.strip().chainModel().setValue("gate", row("gate", "open_threshold"), -33.0);
        w.node("gate")->setFocus();
        QTest::keyClick(w.node("gate"), Qt::Key_M);
        CHECK(button->text() == "Settings A");
        CHECK(w.value("gate", "open_threshold") == a);
        CHECK(w.app.history().undoLabel() == "Gate: settings A");
        // Undoing a change inside B stays in B, also when B was a copy of A before it; redone, it is there
        // again.
        w.strip().chainModel().toggleAb("gate");
        w.strip().chainModel().setValue("gate", row("gate", "open_threshold"), a);
        w.strip().chainModel().closeStep();
        w.app.history().undo();
        CHECK(button->text() == "Settings B");
        CHECK(w.value("gate", "open_threshold") == -33.0);
        w.app.history().redo();
        CHECK(button->text() == "Settings B");
        CHECK(w.value("gate", "open_threshold") == a);
        w.app.history().undo();
        w.strip().chainModel().toggleAb("gate");
        CHECK(w.value("gate", "open_threshold") == a);
        // Undoing the flip keeps what the other one held.
        w.app.history().undo();
        CHECK(w.value("gate", "open_threshold") == -33.0);
        CHECK(button->text() == "Settings B");
        w.strip().chainModel().toggleAb("gate");
        CHECK(w.value("gate", "open_threshold") == a);
        CHECK(button->text() == "Settings A");
        CHECK(w.app.saveState());
    }
    Window again(folder);
    again.strip().chainModel().toggleAb("gate");
    CHECK(again.strip().chainModel().activeSlot("gate") == 'B');
    CHECK(again.value("gate", "open_threshold") == -33.0);
}

TEST_CASE("a stage is reset in one step") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("compressor");
    const auto before = w.strip().chainModel().stage("compressor")->values;
    QTest::mouseClick(w.find<ui::FlatButton>("reset_button"), Qt::LeftButton);
    CHECK(w.strip().chainModel().stage("compressor")->values ==
          default_values(*find_stage_kind("compressor")));
    w.app.history().undo();
    CHECK(w.strip().chainModel().stage("compressor")->values == before);
}

TEST_CASE("without PipeWire the monitor says why it can't be heard, and stays off") {
    TemporaryFolder folder;
    Window w(folder);
    w.node("suppression")->setFocus();
    QTest::keyClick(w.node("suppression"), Qt::Key_H);
    CHECK(w.strip().monitoring().settings().source == MonitorSource::off);
    CHECK_THAT(w.window.messages()->text().toStdString(), Catch::Contains("PipeWire isn't running"));
}

TEST_CASE("levels since a reset forget what was before it") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().input().setRoom(kRoomEffort, 5);  // shout
    REQUIRE(
        Window::until([&] { return w.strip().levelsFit() && w.strip().levels().taps[0].peak > -6.0; }, 60.0));
    w.strip().input().setRoom(kRoomEffort, 0);
    QTest::qWait(300);
    QTest::mouseClick(w.find<ui::FlatButton>("main_menu"), Qt::LeftButton);
    REQUIRE(w.choose("main_popup", "Measure levels since reset"));
    CHECK(w.strip().readings().window() == MeterReader::kSinceReset);
    REQUIRE(Window::until([&] { return w.strip().levels().seconds > 1.0; }));
    CHECK(w.strip().levels().taps[0].peak < -15.0);
}
