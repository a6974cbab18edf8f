// The editor of pitch: the voice's pitch over time, moved by hand.
#include "stages/pitch.h"

#include "app/window.h"
#include "editors/pitch_view.h"
#include "support/vowel.h"
#include "widgets/words.h"

using namespace reed;
using namespace reed::test;

namespace {

struct PitchWindow : Window {
    explicit PitchWindow(TemporaryFolder& f) : Window(f) {
        strip().chainModel().addStage(*find_stage_kind("pitch"), 1);
        strip().chainModel().focus("pitch");
        REQUIRE(until([&] { return view() != nullptr && view()->isVisible() && view()->width() > 100; }));
    }
    ui::PitchView* view() { return find<ui::PitchView>("pitch_view"); }
    double shift() { return value("pitch", "shift"); }
    std::string words() { return find<ui::Words>("pitch_words")->text().toStdString(); }
    bool says(const char* what) {
        const bool said = until([&] { return words().find(what) != std::string::npos; }, 30.0);
        if (!said) UNSCOPED_INFO("it says: " << words());
        return said;
    }
    /// Whether the picture has so many pixels of the colour between two heights (shares from the top).
    int pixels(const QColor& colour, double from, double to) {
        const QImage image = view()->grab().toImage();
        int out = 0;
        for (int y = static_cast<int>(from * image.height()); y < static_cast<int>(to * image.height());
             ++y) {
            for (int x = image.width() / 10; x < image.width() * 9 / 10; ++x)
                out += image.pixelColor(x, y) == colour;
        }
        return out;
    }
};

}  // namespace

TEST_CASE("pitch is dragged by the picture, turned by wheel and keys, put to rest by a double click",
          "[window]") {
    TemporaryFolder folder;
    PitchWindow w(folder);
    auto* view = w.view();
    const QPoint middle = view->rect().center();
    Window::drag(view, middle, {0, -40});
    const double up = w.shift();
    CHECK(up > 4.0);
    CHECK(up < 12.0);
    // One step of undo.
    w.app.history().undo();
    CHECK(w.shift() == 0.0);
    w.app.history().redo();
    CHECK(w.shift() == up);
    Window::drag(view, middle, {0, 4000});
    CHECK(w.shift() == -12.0);
    QTest::mouseDClick(view, Qt::LeftButton, {}, middle);
    CHECK(w.shift() == 0.0);
    view->setFocus();
    QTest::keyClick(view, Qt::Key_Up);
    QTest::keyClick(view, Qt::Key_Up);
    CHECK(w.shift() == Approx(2.0).margin(1.0));
    const double two = w.shift();
    CHECK(two > 0.0);
    QTest::keyClick(view, Qt::Key_Down);
    CHECK(w.shift() == Approx(two / 2.0));
    Window::wheel(view, middle, -1);
    CHECK(w.shift() == Approx(0.0).margin(1e-9));
}

TEST_CASE("the picture of pitch tells where the voice comes from and goes to, and how far off the notes",
          "[window]") {
    TemporaryFolder folder;
    // A third of a semitone above A of 110 Hz.
    write_wav(folder.path("hum.wav"), mono(vowel(112.1, 60.0)));
    PitchWindow w(folder);
    CHECK_THAT(w.words(), Catch::Contains("Listening for speech"));
    // Of a scale nothing is asked before it snaps.
    CHECK_FALSE(w.find<ui::ValueField>("scale")->isVisible());
    w.strip().chainModel().setValue("pitch", kPitchShift, 12);
    w.setInput({DeviceKind::sound_file, folder.path("hum.wav")});
    CHECK(w.says("Your voice is at about 112 Hz, the output at 224 Hz."));
    CHECK(Window::until(
        [&] { return w.pixels(ui::theme().straw, 0.3, 0.6) > 20; }));  // 224 Hz lies above the middle
    CHECK(w.pixels(ui::theme().straw, 0.62, 0.98) == 0);
    w.strip().chainModel().setValue("pitch", kPitchSnap, 100);
    // What was before says nothing of the values as they are now.
    CHECK_THAT(w.view()->words().toStdString(), Catch::Contains("Listening for speech"));
    CHECK(w.says("33 cents off before, 0 cents off after correction. In tune."));
    CHECK(w.find<ui::ValueField>("scale")->isVisible());
    w.strip().chainModel().setValue("pitch", kPitchSnap, 10);
    CHECK(w.says("29 cents off after correction. Raise the pitch correction for less."));
    // Nothing moves without sound, and a bypassed stage lets nothing leave.
    w.strip().chainModel().setBypass("pitch", true);
    CHECK(Window::until([&] { return w.pixels(ui::theme().straw, 0.3, 0.98) == 0; }));
}
