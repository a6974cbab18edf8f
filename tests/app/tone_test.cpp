// The editor of the tone stage: handles for body and clarity on the spectrum, and its conversion to an
// equalizer.
#include "stages/tone.h"

#include "app/window.h"
#include "editors/tone_view.h"
#include "support/vowel.h"
#include "widgets/words.h"

using namespace reed;
using namespace reed::test;

namespace {

struct ToneWindow : Window {
    explicit ToneWindow(TemporaryFolder& f) : Window(f) {
        strip().chainModel().addStage(*find_stage_kind("tone"), 1);
        strip().chainModel().focus("tone");
        REQUIRE(until([&] { return curve() != nullptr && curve()->isVisible() && curve()->width() > 200; }));
    }
    ui::ToneCurve* curve() { return find<ui::ToneCurve>("tone_curve"); }
    double body() { return value("tone", "body"); }
    double clarity() { return value("tone", "clarity"); }
};

}  // namespace

TEST_CASE("body and clarity are dragged on the spectrum, one undo step each", "[window]") {
    using Handle = ui::ToneCurve::Handle;
    TemporaryFolder folder;
    ToneWindow w(folder);
    auto* curve = w.curve();
    const auto at = [&](Handle h) { return curve->handleAt(h).toPoint(); };
    // The whole dashed line is the handle: taken 30 pixels beside its grip, it moves as far as the pointer.
    const QPoint start = at(Handle::body);
    Window::drag(curve, start + QPoint(0, 30), {0, -20});
    CHECK(w.body() > 1.0);
    CHECK(w.clarity() == 0.0);
    CHECK(std::abs(curve->handleAt(Handle::body).y() - (start.y() - 20)) < 2.0);
    CHECK(at(Handle::body).x() == start.x());  // it tracks the voice: sideways it stays
    CHECK(curve->selected() == Handle::body);
    Window::drag(curve, at(Handle::clarity), {60, 20});
    CHECK(w.clarity() < -1.0);
    CHECK(w.body() > 1.0);
    CHECK_THAT(w.app.history().undoLabel().toStdString(), Catch::Contains("clarity"));
    w.app.history().undo();
    CHECK(w.clarity() == 0.0);
    CHECK(w.body() > 1.0);
    w.app.history().undo();
    CHECK(w.body() == 0.0);
    // Never beyond the ends of the scale.
    Window::drag(curve, at(Handle::body), {0, 4000});
    CHECK(w.body() == -6.0);
    QTest::mouseDClick(curve, Qt::LeftButton, {}, at(Handle::body) - QPoint(10, 10));
    CHECK(w.body() == 0.0);
    // Keys and wheel.
    curve->setFocus();
    QTest::keyClick(curve, Qt::Key_Up);
    CHECK(w.body() == Approx(0.5));
    QTest::keyClick(curve, Qt::Key_Right);
    QTest::keyClick(curve, Qt::Key_Up);
    QTest::keyClick(curve, Qt::Key_Up);
    CHECK(w.clarity() == Approx(1.0));
    QTest::keyClick(curve, Qt::Key_Down, Qt::ShiftModifier);
    CHECK(w.clarity() < 1.0);
    CHECK(w.clarity() > 0.5);
    QTest::keyClick(curve, Qt::Key_Left);
    QTest::keyClick(curve, Qt::Key_Down);
    CHECK(w.body() == Approx(0.0));
    const double before = w.clarity();
    Window::wheel(curve, at(Handle::clarity), -2);
    CHECK(w.clarity() == Approx(before - 1.0));
    CHECK(w.body() == Approx(0.0));
}

TEST_CASE("body and clarity move sideways to another frequency when they do not track the voice",
          "[window]") {
    using Handle = ui::ToneCurve::Handle;
    TemporaryFolder folder;
    ToneWindow w(folder);
    w.strip().chainModel().setValue("tone", kToneFollow, 0);
    const QPoint body = w.curve()->handleAt(Handle::body).toPoint();
    Window::drag(w.curve(), body, {40, 0});
    CHECK(w.value("tone", "body_at") > 120.0);
    CHECK(std::abs(w.curve()->handleAt(Handle::body).x() - (body.x() + 40)) < 3.0);
    CHECK(w.value("tone", "clarity_at") == 3800.0);
    // Up and sideways at once is one step of undo.
    const double was = w.value("tone", "clarity_at");
    Window::drag(w.curve(), w.curve()->handleAt(Handle::clarity).toPoint(), {20, -20});
    CHECK(w.value("tone", "clarity_at") > was);
    CHECK(w.clarity() > 1.0);
    w.app.history().undo();
    CHECK(w.value("tone", "clarity_at") == was);
    CHECK(w.clarity() == 0.0);
    Window::drag(w.curve(), w.curve()->handleAt(Handle::clarity).toPoint(), {-4000, 0});
    CHECK(w.value("tone", "clarity_at") == 1500.0);
}

TEST_CASE("tone tells where the voice has its body, and what it has too much of", "[window]") {
    TemporaryFolder folder;
    ToneWindow w(folder);
    auto* words = w.find<ui::Words>("tone_words");
    auto x = vowel(130.0, 8.0, 48000, 40.0);
    append(x, silence(0.5));
    write_wav(folder.path("a.wav"), mono(x));
    w.setInput({DeviceKind::sound_file, folder.path("a.wav")});
    CHECK_FALSE(w.field("body_at")->isVisible());
    CHECK(Window::until([&] { return words->text().contains("Pitch about 1"); }));
    CHECK(Window::until([&] { return std::abs(w.curve()->bodyAt() - 130.0) < 8.0; }));
    // By hand it stands where it is put.
    w.strip().chainModel().setValue("tone", kToneFollow, 0);
    w.strip().chainModel().setValue("tone", kToneBodyAt, 90);
    CHECK(Window::until([&] { return w.curve()->bodyAt() == 90.0; }));
    CHECK(Window::until([&] { return w.field("body_at")->isVisible(); }));
    CHECK(w.curve()->clarityAt() == 3800.0);
    // This vowel has few consonants; its chest is told when there is too much of it.
    w.strip().chainModel().setValue("tone", kToneBody, 6);
    const auto told = w.strip().engine().chain().readouts(*w.strip().chainModel().stage("tone"));
    REQUIRE(told.size() > kToneBodyMore);
    CHECK(Window::until(
        [&] { return words->text().contains("Too much body") == (told[kToneBodyMore] + 6.0f > 6.0f); }));
}

TEST_CASE("tone is opened as an equalizer in its place, and comes back by undo", "[window]") {
    TemporaryFolder folder;
    ToneWindow w(folder);
    const std::string before = w.order();
    w.strip().chainModel().setValue("tone", kToneFollow, 0);
    w.strip().chainModel().setValue("tone", kToneBody, 3);
    w.strip().chainModel().setValue("tone", kToneClarity, -2);
    const auto place = w.strip().chainModel().chain().index_of("tone");
    QTest::mouseClick(w.find<ui::FlatButton>("tone_as_equalizer"), Qt::LeftButton);
    CHECK(w.strip().chainModel().stage("tone") == nullptr);
    const StageSpec& there = w.strip().chainModel().chain().stages[static_cast<size_t>(place)];
    CHECK(there.kind == "equalizer");
    CHECK(there.value("band1_on") == 1.0);
    CHECK(there.value("band1_gain") == 3.0);
    CHECK(there.value("band1_frequency") == 110.0);
    CHECK(there.value("band2_gain") == -2.0);
    CHECK(there.value("band2_frequency") == 3800.0);
    CHECK(there.value("band4_on") == 0.0);
    CHECK(w.strip().chainModel().focused() == there.id);
    w.app.history().undo();
    CHECK(w.order() == before);
    CHECK(w.body() == 3.0);
}
