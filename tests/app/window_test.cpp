#include <catch2/catch.hpp>
#include <filesystem>

#include "app/window.h"
#include "base/file.h"
#include "editors/graphic_eq_view.h"
#include "theme/theme.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("it starts with a demo scene, its stages on the signal's path, and sound") {
    TemporaryFolder folder;
    Window w(folder);
    CHECK(w.strip().chainModel().scene().name == "Bench talk");
    CHECK(w.app.scenes().scenes().size() == 6);
    CHECK(w.order() == "gain suppression gate equalizer compressor limiter");
    double last = 0.0;
    for (const auto& s : w.strip().chainModel().chain().stages) {
        auto* n = w.node(s.id.c_str());
        REQUIRE(n != nullptr);
        CHECK(n->isVisible());
        CHECK(n->geometry().center().x() > last);
        last = n->geometry().center().x();
    }
    // The diagram comes to life: after its first seconds it knows the level at every tap.
    REQUIRE(Window::until([&] { return w.strip().levelsFit() && w.strip().levels().seconds > 1.0; }, 8));
    CHECK(w.strip().levels().taps.size() == 7);
    CHECK(w.strip().levels().taps[0].peak > -30.0);
}

namespace {
/// A gate that cuts: the shipped one is made for quiet microphones.
void cutting_gate(Window& w) {
    const auto set = [&](const char* id, double value) {
        w.strip().chainModel().setValue("gate", static_cast<size_t>(find_stage_kind("gate")->find(id)),
                                        value);
    };
    set("open_threshold", -44);
    set("close_threshold", -52);
    set("range", -24);
}
}  // namespace

TEST_CASE("a dragged threshold is heard: the gate shuts and the feed falls silent") {
    TemporaryFolder folder;
    Window w(folder);
    cutting_gate(w);
    w.strip().input().setRoom(kRoomEffort, 0);  // only the dehumidifier, at about -44 dBFS
    auto* opens = w.handle("gate", "open_threshold");
    auto* closes = w.handle("gate", "close_threshold");
    REQUIRE(opens != nullptr);
    auto* diagram = w.window.diagram();
    w.strip().chainModel().setBypass("suppression", true);
    QTest::qWait(500);
    // Far down: the room passes.
    const double far_down = diagram->yOf(-75) - diagram->yOf(-44);
    Window::drag(closes, {10, ui::ThresholdHandle::kHeight / 2},
                 {0, static_cast<int>(diagram->yOf(-78) - diagram->yOf(-52))});
    Window::drag(opens, {10, ui::ThresholdHandle::kHeight / 2}, {0, static_cast<int>(far_down)});
    CHECK(w.value("gate", "open_threshold") == Approx(-75).margin(0.6));
    REQUIRE(Window::until([&] { return w.feed_level(0.2) > -58; }));
    const double open_level = w.feed_level(0.3);
    // Up over the room: it is cut by the gate's depth of 24 dB.
    Window::drag(closes, {10, ui::ThresholdHandle::kHeight / 2},
                 {0, static_cast<int>(diagram->yOf(-20) - diagram->yOf(w.value("gate", "close_threshold")))});
    Window::drag(opens, {10, ui::ThresholdHandle::kHeight / 2},
                 {0, static_cast<int>(diagram->yOf(-20) - diagram->yOf(w.value("gate", "open_threshold")))});
    CHECK(w.value("gate", "open_threshold") == Approx(-20).margin(0.6));
    CHECK(w.value("gate", "close_threshold") == Approx(-20).margin(0.6));
    INFO("open " << open_level << " now " << w.feed_level(0.3));
    CHECK(Window::until([&] { return w.feed_level(0.3) < open_level - 20; }));
    // The mark stands where its value is.
    CHECK(opens->geometry().center().y() ==
          Approx(diagram->yOf(w.value("gate", "open_threshold"))).margin(1.5));
    CHECK(w.strip().chainModel().focused() == "gate");
}

TEST_CASE("thresholds move by wheel and keys, finer with Shift") {
    TemporaryFolder folder;
    Window w(folder);
    auto* h = w.handle("compressor", "threshold");
    const double start = w.value("compressor", "threshold");
    Window::wheel(h, {5, 26}, 2);
    CHECK(w.value("compressor", "threshold") == Approx(start + 2));
    Window::wheel(h, {5, 26}, -1, Qt::ShiftModifier);
    CHECK(w.value("compressor", "threshold") == Approx(start + 1.9));
    h->setFocus();
    QTest::keyClick(h, Qt::Key_Down);
    CHECK(w.value("compressor", "threshold") == Approx(start + 0.9));
    QTest::keyClick(h, Qt::Key_Up, Qt::ShiftModifier);
    CHECK(w.value("compressor", "threshold") == Approx(start + 1.0));
}

TEST_CASE("a drag with Shift moves a fifth as far on the scale, a tenth in a field") {
    TemporaryFolder folder;
    Window w(folder);
    cutting_gate(w);
    const auto moved_by = [&](QWidget* at, QPoint by, Qt::KeyboardModifiers keys, const char* id) {
        const double before = w.value("gate", id);
        const QPoint from(at == w.handle("gate", "open_threshold") ? 6 : at->width() / 4, at->height() / 2);
        Window::drag(at, from, by, keys);
        const double change = w.value("gate", id) - before;
        w.app.history().undo();
        REQUIRE(w.value("gate", id) == before);
        return change;
    };
    auto* handle = w.handle("gate", "open_threshold");
    const double far = moved_by(handle, {0, -50}, Qt::NoModifier, "open_threshold");
    const double near = moved_by(handle, {0, -50}, Qt::ShiftModifier, "open_threshold");
    REQUIRE(far > 3.0);
    CHECK(near ==
          Approx(far / 5.0).margin(0.5));  // values are whole tenths, ten moves are rounded one by one
    w.strip().chainModel().focus("gate");
    auto* field = w.field("range");
    REQUIRE(field != nullptr);
    const double wide = moved_by(field, {60, 0}, Qt::NoModifier, "range");
    const double fine = moved_by(field, {60, 0}, Qt::ShiftModifier, "range");
    REQUIRE(wide > 5.0);
    CHECK(fine == Approx(wide / 10.0).margin(0.3));
}

TEST_CASE("the labels of two thresholds that stand close make way for each other") {
    TemporaryFolder folder;
    Window w(folder);
    cutting_gate(w);
    const auto& kind = w.strip().chainModel().stage("gate")->stage_kind();
    for (const double close_at : {-44.0, -44.5, -46.0, -47.0}) {
        REQUIRE(w.strip().chainModel().setValue("gate", static_cast<size_t>(kind.find("close_threshold")),
                                                close_at));
        // What takes the mouse is what is drawn: the mark, and right of it the label.
        const auto label = [&](const char* parameter) {
            auto* h = w.handle("gate", parameter);
            const int mark = h->width() < 100 ? 18 : 34;
            return h->mask().intersected(QRect(mark, 0, h->width(), h->height())).translated(h->pos());
        };
        INFO("closes only below " << close_at);
        REQUIRE_FALSE(label("open_threshold").isEmpty());
        CHECK_FALSE(label("open_threshold").intersects(label("close_threshold")));
        CHECK(label("open_threshold").boundingRect().top() <= label("close_threshold").boundingRect().top());
    }
}

TEST_CASE("values are typed with units, and bad text is refused with the reason and changes nothing") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("compressor");
    const auto type = [&](const char* id, const char* text) {
        auto* f = w.field(id);
        REQUIRE(f != nullptr);
        QTest::mouseDClick(f, Qt::LeftButton, {}, {20, 10});
        auto* edit = f->findChild<QLineEdit*>("value_editor");
        REQUIRE(edit != nullptr);
        edit->clear();
        QTest::keyClicks(edit, text);
        QTest::keyClick(edit, Qt::Key_Return);
        CHECK(f->findChild<QLineEdit*>("value_editor") == nullptr);  // Enter ends it, and does not begin anew
    };
    type("ratio", "6:1");
    CHECK(w.value("compressor", "ratio") == 6.0);
    type("threshold", "-18");
    CHECK(w.value("compressor", "threshold") == -18.0);
    type("release", "0.12 s");
    CHECK(w.value("compressor", "release") == Approx(120));
    for (const char* bad : {"45", "loud", "4 Hz", ""}) {
        type("ratio", bad);
        CHECK(w.value("compressor", "ratio") == 6.0);
        CHECK_FALSE(w.field("ratio")->complaint().isEmpty());
        CHECK(w.window.messages()->isVisible());
        QTest::keyClick(&w.window, Qt::Key_Escape);
        CHECK_FALSE(w.window.messages()->isVisible());
    }
    // Escape leaves the editor without a change; typing a digit opens it.
    auto* f = w.field("ratio");
    f->setFocus();
    QTest::keyClick(f, Qt::Key_9);
    auto* edit = f->findChild<QLineEdit*>("value_editor");
    REQUIRE(edit != nullptr);
    CHECK(edit->text() == "9");
    QTest::keyClick(edit, Qt::Key_Escape);
    CHECK(w.value("compressor", "ratio") == 6.0);
}

TEST_CASE("fields are dragged, wheeled, stepped and reset") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("gain");
    auto* f = w.field("gain");
    Window::drag(f, {20, 10}, {f->width() / 4, 0});
    CHECK(w.value("gain", "gain") == Approx(15.0).margin(1.0));
    const double dragged = w.value("gain", "gain");
    Window::wheel(f, {20, 10}, 1);
    CHECK(w.value("gain", "gain") == Approx(dragged + 1).margin(0.01));
    QTest::keyClick(f, Qt::Key_Left, Qt::ShiftModifier);
    CHECK(w.value("gain", "gain") == Approx(dragged + 0.9).margin(0.01));
    QTest::keyClick(f, Qt::Key_Backspace);
    CHECK(w.value("gain", "gain") == 0.0);
    QTest::mouseClick(w.field("invert"), Qt::LeftButton, {}, {20, 10});
    CHECK(w.value("gain", "invert") == 1.0);
    QTest::keyClick(w.field("invert"), Qt::Key_Space);
    CHECK(w.value("gain", "invert") == 0.0);
    QTest::keyClick(w.field("channels"), Qt::Key_Right);
    CHECK(w.value("gain", "channels") == 1.0);
}

TEST_CASE("stages are added, bypassed, moved, duplicated, renamed and removed, and all of it undone") {
    TemporaryFolder folder;
    Window w(folder);
    const ChainSpec start = w.strip().chainModel().chain();
    // Add an expander between gate and equalizer.
    QTest::mouseClick(w.find<ui::FlatButton>("add_3"), Qt::LeftButton);
    REQUIRE(w.choose("add_menu", "Expander"));
    CHECK(w.order() == "gain suppression gate expander equalizer compressor limiter");
    CHECK(w.strip().chainModel().focused() == "expander");
    CHECK(w.find<QLabel>("stage_title")->text() == "Expander");
    // The dot bypasses; B does the same.
    QTest::mouseClick(w.node("expander"), Qt::LeftButton, {}, {14, w.node("expander")->height() / 2});
    CHECK(w.strip().chainModel().stage("expander")->bypass);
    w.node("expander")->setFocus();
    QTest::keyClick(w.node("expander"), Qt::Key_B);
    CHECK_FALSE(w.strip().chainModel().stage("expander")->bypass);
    // By keys to the left, by the mouse to the end.
    QTest::keyClick(w.node("expander"), Qt::Key_Left, Qt::ControlModifier);
    CHECK(w.order() == "gain suppression expander gate equalizer compressor limiter");
    auto* n = w.node("expander");
    const int column = static_cast<int>(w.window.diagram()->xOf(1) - w.window.diagram()->xOf(0));
    Window::drag(n, {60, 18}, {2 * column, 0});
    CHECK(w.order() == "gain suppression gate equalizer expander compressor limiter");
    // Duplicate, rename, remove.
    w.node("gate")->setFocus();
    QTest::keyClick(w.node("gate"), Qt::Key_D, Qt::ControlModifier);
    CHECK(w.order() == "gain suppression gate gate_2 equalizer expander compressor limiter");
    QTest::keyClick(w.node("gate_2"), Qt::Key_F2);
    auto* name = w.window.findChild<QLineEdit*>("rename_editor");
    REQUIRE(name != nullptr);
    name->selectAll();
    QTest::keyClicks(name, "Key clicks");
    QTest::keyClick(name, Qt::Key_Return);
    CHECK(w.strip().chainModel().stage("gate_2")->shown_title() == "Key clicks");
    QTest::keyClick(w.node("gate_2"), Qt::Key_Delete);
    CHECK(w.order() == "gain suppression gate equalizer expander compressor limiter");
    CHECK(w.app.history().undoLabel() == "Remove Key clicks");
    int steps = 0;
    while (w.app.history().canUndo() && steps < 50) {
        QTest::keyClick(&w.window, Qt::Key_Z, Qt::ControlModifier);
        ++steps;
    }
    CHECK(w.strip().chainModel().chain() == start);
    CHECK(steps == 8);
    for (int i = 0; i < steps; ++i)
        QTest::keyClick(&w.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(w.order() == "gain suppression gate equalizer expander compressor limiter");
    // The engine has followed all the way.
    REQUIRE(Window::until([&] { return w.strip().engine().chain().settled() && w.strip().levelsFit(); }));
}

TEST_CASE("an empty chain and a full one can be worked with") {
    TemporaryFolder folder;
    Window w(folder);
    while (!w.strip().chainModel().chain().stages.empty())
        w.strip().chainModel().removeStage(w.strip().chainModel().chain().stages[0].id);
    CHECK(w.find<QLabel>("stage_title")->text() == "No stages yet");
    QTest::qWait(100);
    for (int i = 0; i < 40; ++i)
        w.strip().chainModel().addStage(*find_stage_kind(i % 2 == 0 ? "equalizer" : "gate"), 0);
    CHECK(w.strip().chainModel().chain().stages.size() == kMaxStages);
    CHECK_THAT(w.window.messages()->text().toStdString(), Catch::Contains("at most 32 stages"));
    QTest::qWait(100);
}

TEST_CASE("equalizer bands are dragged, widened, added and switched off on the curve") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("equalizer");
    auto* curve = w.find<ui::EqCurve>("eq_curve");
    REQUIRE(curve != nullptr);
    QTest::qWait(50);
    const QPoint at = curve->handle(2).toPoint();  // band 3: 380 Hz, -3 dB
    const QPoint to(static_cast<int>(curve->xOf(800)), static_cast<int>(curve->yOf(-6)));
    const int height = curve->height();
    Window::drag(curve, at, to - at);
    CHECK(curve->height() == height);  // the curve stands still under the hand
    CHECK(w.value("equalizer", "band3_frequency") == Approx(800).epsilon(0.03));
    CHECK(w.value("equalizer", "band3_gain") == Approx(-6).margin(0.3));
    const double q = w.value("equalizer", "band3_q");
    Window::wheel(curve, curve->handle(2).toPoint(), 2);
    CHECK(w.value("equalizer", "band3_q") > 1.2 * q);
    QTest::mouseDClick(curve, Qt::LeftButton, {},
                       {static_cast<int>(curve->xOf(2000)), static_cast<int>(curve->yOf(4))});
    CHECK(w.value("equalizer", "band6_on") == 1.0);
    CHECK(w.value("equalizer", "band6_type") == 0.0);
    CHECK(w.value("equalizer", "band6_frequency") == Approx(2000).epsilon(0.03));
    CHECK(w.value("equalizer", "band6_gain") == Approx(4).margin(0.3));
    CHECK(curve->band() == 5);
    // Type "4k" and "-3" into the chosen band's fields.
    for (const auto& [id, text] : {std::pair{"band6_frequency", "4k"}, std::pair{"band6_gain", "-3"}}) {
        w.field(id)->openEditor(text);
        QTest::keyClick(w.field(id)->findChild<QLineEdit*>("value_editor"), Qt::Key_Return);
    }
    CHECK(w.value("equalizer", "band6_frequency") == 4000);
    CHECK(w.value("equalizer", "band6_gain") == -3);
    curve->setFocus();
    QTest::keyClick(curve, Qt::Key_Up);
    CHECK(w.value("equalizer", "band6_gain") == Approx(-2));
    QTest::keyClick(curve, Qt::Key_Delete);
    CHECK(w.value("equalizer", "band6_on") == 0.0);
}

TEST_CASE("the equalizer's ten octaves are dragged, wheeled and typed, and one band can be listened to") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("equalizer");
    QTest::qWait(50);
    QTest::mouseClick(w.find<ui::FlatButton>("octaves_button"), Qt::LeftButton);
    auto* octaves = w.find<ui::GraphicEqView>("octave_view");
    REQUIRE(octaves != nullptr);
    REQUIRE(octaves->isVisible());
    QTest::qWait(50);
    const auto slider = [&](size_t i) {
        return graphic_eq_gains(w.strip().chainModel().stage("equalizer")->values, 48000).value()[i];
    };
    const QPoint at = octaves->knob(5).toPoint();  // 1 kHz
    Window::drag(octaves, at, QPoint(at.x(), static_cast<int>(octaves->yOf(6))) - at);
    CHECK(slider(5) == Approx(6).margin(0.3));
    CHECK(slider(4) == Approx(0).margin(0.2));  // its neighbour stays
    Window::wheel(octaves, octaves->knob(2).toPoint(), -3);
    CHECK(slider(2) == Approx(-3).margin(0.2));
    octaves->setFocus();
    QTest::keyClick(octaves, Qt::Key_Right);
    CHECK(octaves->chosen() == 3);
    QTest::keyClick(octaves, Qt::Key_4);
    auto* edit = octaves->findChild<QLineEdit*>("value_editor");
    REQUIRE(edit != nullptr);
    QTest::keyClick(edit, Qt::Key_Return);
    CHECK(slider(3) == Approx(4).margin(0.2));
    QTest::mouseDClick(octaves, Qt::LeftButton, {}, octaves->knob(5).toPoint());
    CHECK(slider(5) == Approx(0).margin(0.2));
    // Listening changes what is heard, not the scene.
    // The values of a band have no meaning here and are not shown; one press sets all sliders to 0 dB.
    CHECK_FALSE(w.find<QLabel>("band_name")->isVisible());
    CHECK_FALSE(w.find<ui::FlatButton>("listen_button")->isVisible());
    auto* flat = w.find<ui::FlatButton>("flat_button");
    REQUIRE(flat->isVisible());
    QTest::mouseClick(flat, Qt::LeftButton);
    for (size_t i = 0; i < static_cast<size_t>(kOctaves); ++i) CHECK(std::abs(slider(i)) < 0.05);
    w.app.history().undo();
    CHECK(std::abs(slider(2)) > 1.0);
    QTest::mouseClick(w.find<ui::FlatButton>("octaves_button"), Qt::LeftButton);
    w.save();
    w.find<ui::EqCurve>("eq_curve")->chooseBand(2);
    QTest::mouseClick(w.find<ui::FlatButton>("listen_button"), Qt::LeftButton);
    CHECK(w.value("equalizer", "listen") == 3);
    CHECK_FALSE(w.app.scenes().changed());
    w.find<ui::EqCurve>("eq_curve")->chooseBand(3);
    CHECK(w.value("equalizer", "listen") == 4);
    QTest::mouseClick(w.find<ui::FlatButton>("listen_button"), Qt::LeftButton);
    CHECK(w.value("equalizer", "listen") == 0);
}

TEST_CASE("a scene is saved, named, recalled, renamed and removed by keys and menus") {
    TemporaryFolder folder;
    Window w(folder);
    CHECK_FALSE(w.app.scenes().changed());
    w.strip().chainModel().setValue("gain", 0, 5.0);
    CHECK(w.app.scenes().changed());
    CHECK(w.find<ui::FlatButton>("save_button")->isEnabled());
    QTest::keyClick(&w.window, Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier);
    auto* name = w.find<QLineEdit>("scene_name");
    REQUIRE(name->isVisible());
    QTest::keyClicks(name, "Late bench");
    QTest::keyClick(name, Qt::Key_Return);
    REQUIRE(w.app.scenes().finish());
    CHECK(w.strip().chainModel().scene().name == "Late bench");
    CHECK_FALSE(w.app.scenes().changed());
    CHECK(load_scene(folder.path("scenes/late-bench.json")).scene->chain() == w.strip().chainModel().chain());
    // Recall another by its number, then this one by its button.
    QTest::keyClick(&w.window, Qt::Key_2, Qt::ControlModifier);
    CHECK(w.strip().chainModel().scene().name == "Bench talk");
    CHECK(w.value("gain", "gain") == 0.0);
    QTest::mouseClick(w.find<ui::FlatButton>("scene_Late bench"), Qt::LeftButton);
    CHECK(w.value("gain", "gain") == 5.0);
    // A recall can be undone.
    QTest::keyClick(&w.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.strip().chainModel().scene().name == "Bench talk");
    w.app.history().redo();
    // Save a change with Ctrl+S.
    w.strip().chainModel().setValue("gain", 0, -2.0);
    QTest::keyClick(&w.window, Qt::Key_S, Qt::ControlModifier);
    REQUIRE(w.app.scenes().finish());
    CHECK(load_scene(folder.path("scenes/late-bench.json")).scene->chain().stages[0].values[0] == -2.0);
    // Rename, remove.
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    REQUIRE(w.choose("scene_popup", "Rename…"));
    name->selectAll();
    QTest::keyClicks(name, "Midnight bench");
    QTest::keyClick(name, Qt::Key_Return);
    CHECK(w.strip().chainModel().scene().name == "Midnight bench");
    CHECK(w.app.scenes().scenes().size() == 7);
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    REQUIRE(w.choose("scene_popup", "Remove this scene"));
    CHECK(w.app.scenes().scenes().size() == 6);
    REQUIRE(w.app.scenes().finish());
    CHECK(w.value("gain", "gain") == -2.0);  // what sounds goes on
    CHECK(std::filesystem::exists(folder.path("scenes/removed")));
}

TEST_CASE("the working state survives, with or without a proper end") {
    TemporaryFolder folder;
    {
        Window w(folder);
        w.strip().chainModel().setValue("gain", 0, 7.5);
        w.strip().chainModel().focus("limiter");
        w.strip().input().setRoom(kRoomRain, 40);
        w.app.preferences().setTheme("dawn");
        // No close: what a crash leaves is what the timer has written.
        REQUIRE(Window::until([&] {
            const auto state = load_working_state(folder.path("state/session.json"));
            return state.ok() && state.value() && state.value()->scene.chain().stages[0].values[0] == 7.5 &&
                   state.value()->theme == "dawn";
        }));
    }
    Window again(folder);
    CHECK(again.value("gain", "gain") == 7.5);
    CHECK(again.strip().chainModel().focused() == "limiter");
    CHECK(again.strip().input().simulatedRoom()->get(kRoomRain) == 40);
    CHECK(ui::theme().name == "dawn");
    CHECK(again.app.scenes().changed());
    again.app.preferences().setTheme("dusk");
}

TEST_CASE("a broken last session is kept aside, and the window says so") {
    TemporaryFolder folder;
    REQUIRE(write_file(folder.path("state/session.json"), "{\"half\":").ok());
    Window w(folder);
    CHECK(w.strip().chainModel().scene().name == "Bench talk");
    CHECK_THAT(w.told(), Catch::Contains("was saved as session.json.broken-20"));
    const auto name = w.told().substr(w.told().find("session.json.broken-"),
                                      std::string("session.json.broken-2026-11-25").size());
    CHECK(read_file(folder.path("state/" + name), 100).value() == "{\"half\":");
}

TEST_CASE("without PipeWire the simulated room goes on, and the reason is told") {
    TemporaryFolder folder;
    Window w(folder);
    w.setInput({DeviceKind::pipewire, ""});
    CHECK_THAT(w.window.messages()->text().toStdString(),
               Catch::Contains("No PipeWire is running") || Catch::Contains("PipeWire isn't running"));
    CHECK(w.strip().input().choice().kind == DeviceKind::simulated_room);
    CHECK(w.strip().input().status().running);
    // A microphone remembered from another evening is waited for, and stays the choice.
    REQUIRE(w.app.saveState());
    WorkingState s = *load_working_state(folder.path("state/session.json")).value();
    s.input.kind = "pipewire";
    s.input.target = "unplugged";
    TemporaryFolder other;
    REQUIRE(save_working_state(other.path("state/session.json"), s).ok());
    Window fresh(other);
    CHECK(fresh.strip().input().choice() == DeviceChoice{DeviceKind::pipewire, "unplugged"});
    CHECK(fresh.strip().input().status().waiting);
    REQUIRE(Window::until([&] { return fresh.window.messages()->isVisible(); }));
    CHECK_THAT(fresh.window.messages()->text().toStdString(), Catch::Contains("PipeWire isn't running"));
    fresh.setInput({DeviceKind::simulated_room, ""});
    CHECK(fresh.strip().input().status().running);
}

TEST_CASE("a sound file can be the input, and a bad one is refused and the old input goes on") {
    TemporaryFolder folder;
    Window w(folder);
    write_wav(folder.path("tone.wav"), mono(sine(440, 0.1, 0.5, 44100)), 44100);
    w.setInput({DeviceKind::sound_file, folder.path("tone.wav")});
    CHECK(w.strip().engine().format().sample_rate == 44100);
    CHECK(w.find<ui::FlatButton>("input_button")->text() == "tone.wav");
    w.setInput({DeviceKind::sound_file, folder.path("none.wav")});
    CHECK(w.strip().input().choice().target == folder.path("tone.wav"));
    CHECK(w.strip().input().status().running);
    CHECK_THAT(w.window.messages()->text().toStdString(), Catch::Contains("doesn't exist"));
}

TEST_CASE("mute silences the feed, by key and by button, and is seen") {
    TemporaryFolder folder;
    Window w(folder);
    REQUIRE(Window::until([&] { return w.feed_level(0.2) > -100; }));
    QTest::keyClick(&w.window, Qt::Key_M, Qt::ControlModifier);
    CHECK(w.app.mute().on());
    CHECK(w.window.windowTitle().startsWith("Muted"));
    CHECK(w.find<ui::FlatButton>("mute_button")->text() == "Muted");
    CHECK(Window::until([&] { return w.feed_level(0.1) < -180; }));
    QTest::mouseClick(w.find<ui::FlatButton>("mute_button"), Qt::LeftButton);
    CHECK_FALSE(w.app.mute().on());
    CHECK(Window::until([&] { return w.feed_level(0.1) > -120; }));
}

TEST_CASE("the simulated room's controls are heard") {
    TemporaryFolder folder;
    Window w(folder);
    const auto stages = w.strip().chainModel().chain().stages;  // bypassing makes another chain
    for (const auto& s : stages) w.strip().chainModel().setBypass(s.id, true);
    w.strip().input().setRoom(kRoomEffort, 0);
    REQUIRE(Window::until([&] { return w.feed_level(0.3) < -40; }));
    auto* lathe = w.window.findChild<ui::ValueField*>("lathe");
    REQUIRE(lathe->isVisible());
    lathe->setFocus();
    QTest::keyClick(lathe, Qt::Key_End);
    CHECK(Window::until([&] { return w.feed_level(0.2) > -38; }));
    QTest::keyClick(lathe, Qt::Key_Home);
    CHECK(Window::until([&] { return w.feed_level(0.2) < -40; }));
}

TEST_CASE("signs in the bar have words beside them where there is room", "[app]") {
    TemporaryFolder folder;
    Window w(folder);
    auto* characters = w.find<ui::FlatButton>("characters_button");
    auto* scenes = w.find<ui::FlatButton>("scene_menu");
    w.window.resize(1280, 800);
    CHECK(Window::until([&] { return characters->text().isEmpty() && scenes->text().isEmpty(); }));
    w.window.resize(1900, 1000);
    CHECK(Window::until([&] { return characters->text() == "Characters" && scenes->text() == "Scenes"; }));
    // While a character is on, its name stands there.
    w.strip().chainModel().setCharacter("Robot");
    CHECK(Window::until([&] { return characters->text() == "Robot"; }));
}

TEST_CASE("the input menu of a strip without an input ticks none", "[app]") {
    TemporaryFolder folder;
    Window w(folder);
    // The first one added is the apprentice of the demo, the second one has no input.
    w.app.mixer().add(StripRole::voice);
    w.app.mixer().add(StripRole::voice);
    REQUIRE(w.app.mixer().current().input().hasNoInput());
    auto* button = w.find<ui::FlatButton>("input_button");
    REQUIRE(button != nullptr);
    QTest::mouseClick(button, Qt::LeftButton);
    auto* menu = w.window.findChild<QMenu*>("input_menu");
    REQUIRE(menu != nullptr);
    for (const QAction* a : menu->actions()) {
        INFO(a->text().toStdString());
        if (a->text().contains("Simulated room") || a->text().contains("microphone"))
            CHECK_FALSE(a->isChecked());
    }
    menu->close();
}
