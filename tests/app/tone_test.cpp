// The editor of tone: one surface for body and clarity, and the way out of it.
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
        session.strip().addStage(*find_stage_kind("tone"), 1);
        session.strip().focus("tone");
        REQUIRE(until([&] { return pad() != nullptr && pad()->isVisible() && pad()->width() > 100; }));
    }
    ui::TonePad* pad() { return find<ui::TonePad>("tone_pad"); }
    ui::ToneCurve* curve() { return find<ui::ToneCurve>("tone_curve"); }
    double body() { return value("tone", "body"); }
    double clarity() { return value("tone", "clarity"); }
};

}  // namespace

TEST_CASE("body and clarity are moved together on one surface, as one step of undo", "[window]") {
    TemporaryFolder folder;
    ToneWindow w(folder);
    auto* pad = w.pad();
    // Where it is pressed, there it is: a quarter of the surface up and to the left.
    const QPoint middle = pad->mark().toPoint();
    const int reach = std::min(middle.x(), middle.y()) / 3;
    Window::drag(pad, middle, {-reach, -reach});
    CHECK(w.body() > 1.0);
    CHECK(w.clarity() < -1.0);
    CHECK(std::abs(pad->mark().x() - (middle.x() - reach)) < 2.0);
    CHECK(std::abs(pad->mark().y() - (middle.y() - reach)) < 2.0);
    CHECK_THAT(w.session.strip().history().undoLabel().toStdString(), Catch::Contains("body"));
    w.session.strip().undo();
    CHECK(w.body() == 0.0);
    CHECK(w.clarity() == 0.0);
    // Never beyond its edges.
    Window::drag(pad, middle, {4000, 4000});
    CHECK(w.body() == -6.0);
    CHECK(w.clarity() == 6.0);
    QTest::mouseDClick(pad, Qt::LeftButton, {}, pad->mark().toPoint() - QPoint(10, 10));
    CHECK(w.body() == 0.0);
    CHECK(w.clarity() == 0.0);
    // Keys and wheel.
    pad->setFocus();
    QTest::keyClick(pad, Qt::Key_Up);
    QTest::keyClick(pad, Qt::Key_Right);
    QTest::keyClick(pad, Qt::Key_Right);
    CHECK(w.body() == Approx(0.5));
    CHECK(w.clarity() == Approx(1.0));
    QTest::keyClick(pad, Qt::Key_Down);
    QTest::keyClick(pad, Qt::Key_Left, Qt::ShiftModifier);
    CHECK(w.body() == Approx(0.0));
    CHECK(w.clarity() < 1.0);
    Window::wheel(pad, middle, 2);
    CHECK(w.body() == Approx(1.0));
    const double before = w.clarity();
    Window::wheel(pad, middle, -2, Qt::AltModifier);
    CHECK(w.clarity() == Approx(before - 1.0));
    CHECK(w.body() == Approx(1.0));
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
    w.session.strip().setValue("tone", kToneFollow, 0);
    w.session.strip().setValue("tone", kToneBodyAt, 90);
    CHECK(Window::until([&] { return w.curve()->bodyAt() == 90.0; }));
    CHECK(Window::until([&] { return w.field("body_at")->isVisible(); }));
    CHECK(w.curve()->clarityAt() == 3800.0);
    // This vowel has few consonants; its chest is told when there is too much of it.
    w.session.strip().setValue("tone", kToneBody, 6);
    const auto told = w.session.engine().chain().readouts(*w.session.strip().stage("tone"));
    REQUIRE(told.size() > kToneBodyMore);
    CHECK(Window::until(
        [&] { return words->text().contains("Too much body") == (told[kToneBodyMore] + 6.0f > 6.0f); }));
}

TEST_CASE("tone is opened as an equalizer in its place, and comes back by undo", "[window]") {
    TemporaryFolder folder;
    ToneWindow w(folder);
    const std::string before = w.order();
    w.session.strip().setValue("tone", kToneFollow, 0);
    w.session.strip().setValue("tone", kToneBody, 3);
    w.session.strip().setValue("tone", kToneClarity, -2);
    const auto place = w.session.strip().chain().index_of("tone");
    QTest::mouseClick(w.find<ui::FlatButton>("tone_as_equalizer"), Qt::LeftButton);
    CHECK(w.session.strip().stage("tone") == nullptr);
    const StageSpec& there = w.session.strip().chain().stages[static_cast<size_t>(place)];
    CHECK(there.kind == "equalizer");
    CHECK(there.value("band1_on") == 1.0);
    CHECK(there.value("band1_gain") == 3.0);
    CHECK(there.value("band1_frequency") == 110.0);
    CHECK(there.value("band2_gain") == -2.0);
    CHECK(there.value("band2_frequency") == 3800.0);
    CHECK(there.value("band4_on") == 0.0);
    CHECK(w.session.strip().focused() == there.id);
    w.session.strip().undo();
    CHECK(w.order() == before);
    CHECK(w.body() == 3.0);
}
