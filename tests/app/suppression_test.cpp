// The suppression's editor: methods, learning the room, hum, hearing what is taken away.
#include <catch2/catch.hpp>

#include "app/window.h"
#include "editors/suppression_pane.h"
#include "model/strips/noise_profile_learner.h"

using namespace reed;
using namespace reed::test;

namespace {

struct Suppressing : Window {
    explicit Suppressing(TemporaryFolder& f) : Window(f) { strip().chainModel().focus("suppression"); }
    ui::MethodButton* method(int i) { return find<ui::MethodButton>(QString("method_%1").arg(i)); }
    ui::FlatButton* button(const char* name) { return find<ui::FlatButton>(name); }
    static void click(QWidget* w) { QTest::mouseClick(w, Qt::LeftButton, {}, w->rect().center()); }
    QString advice() { return find<QLabel>("advice")->text(); }
};

}  // namespace

TEST_CASE("a method is chosen by click or key, says its delay and load, and sounds") {
    TemporaryFolder folder;
    Suppressing w(folder);
    w.strip().input().setRoom(kRoomEffort, 0);
    for (const int i : {1, 0, 2}) {
        Suppressing::click(w.method(i));
        CHECK(w.value("suppression", "method") == i);
        CHECK(w.method(i)->isChecked());
    }
    CHECK(w.app.history().undoLabel() == "Suppression: method Noise profile");
    w.app.history().undo();
    CHECK(w.method(0)->isChecked());
    REQUIRE(Window::until([&] { return w.method(1)->accessibleDescription().contains("% CPU"); }));
    for (int i = 0; i < 3; ++i)
        CHECK_THAT(w.method(i)->accessibleDescription().toStdString(), Catch::Contains("20 ms"));
    // The short delay is shown for all.
    w.strip().chainModel().setValue("suppression", static_cast<size_t>(kSuppressionStage.find("delay")), 1);
    REQUIRE(Window::until([&] { return w.method(0)->accessibleDescription().contains("10 ms"); }));
    CHECK(w.method(1)->accessibleDescription().contains("10 ms"));
    // In the smallest window the methods, the spectrum and the fields stand side by side.
    w.window.resize(1024, 700);
    QTest::qWait(50);
    const auto left_of = [&](QWidget* a) { return a->mapTo(&w.window, QPoint(0, 0)).x(); };
    auto* view = w.find<QWidget>("suppression_view");
    CHECK(left_of(w.method(1)) + w.method(1)->width() <= left_of(view));
    CHECK(left_of(view) + view->width() <= left_of(w.field("amount")));
    // What is kept is said for each, and chosen for neural alone.
    auto* kept = w.find<QLabel>("kept_words");
    CHECK(kept->isVisible());
    CHECK(kept->text().contains("15 s are treated as noise"));
    CHECK_FALSE(w.field("counts")->isVisible());

    // By keyboard as well.
    w.method(0)->setFocus();
    QTest::keyClick(w.method(0), Qt::Key_Down);
    CHECK(w.method(1)->hasFocus());
    QTest::keyClick(w.method(1), Qt::Key_Space);
    CHECK(w.value("suppression", "method") == 1);
    CHECK(w.field("counts")->isVisible());
    CHECK_FALSE(w.field("smoothing")->isVisible());
    CHECK(kept->text().contains("shouting, whispers, other people"));
    w.strip().chainModel().setValue("suppression", static_cast<size_t>(kSuppressionStage.find("counts")), 1);
    CHECK(kept->text().contains("may remove screams, whispers and sustained notes"));
    w.strip().chainModel().setValue("suppression", static_cast<size_t>(kSuppressionStage.find("counts")), 0);
    // Where the fields need the room, the words make way.
    w.strip().chainModel().setValue("suppression", static_cast<size_t>(kSuppressionStage.find("hum")), 1);
    CHECK_FALSE(kept->isVisible());
    w.strip().chainModel().setValue("suppression", static_cast<size_t>(kSuppressionStage.find("hum")), 0);
    CHECK(kept->isVisible());
    // And the feed: the room alone is gone.
    REQUIRE(Window::until([&] { return w.strip().engine().chain().settled(); }));
    REQUIRE(Window::until([&] { return w.feed_level(0.3) < -65.0; }));
}

TEST_CASE("learning the room counts down, keeps what it heard, and lowers the room by the amount") {
    TemporaryFolder folder;
    LearnedData learnt;
    {
        Suppressing w(folder);
        w.strip().input().setRoom(kRoomEffort, 0);
        Suppressing::click(w.method(2));
        REQUIRE(Window::until([&] { return w.advice().contains("No noise profile yet"); }));
        QTest::qWait(400);
        Suppressing::click(w.button("learn_button"));
        CHECK(w.strip().learning().state() == ui::NoiseProfileLearner::State::listening);
        CHECK(w.strip().learning().left() > 4.0);
        CHECK(w.button("learn_button")->text() == "Cancel");
        REQUIRE(Window::until([&] { return !w.strip().chainModel().stage("suppression")->taught.empty(); }));
        learnt = w.strip().chainModel().stage("suppression")->taught;
        CHECK(w.window.messages()->text().startsWith("Noise profile learned"));
        CHECK(w.app.history().undoLabel().contains("Learned noise profile at"));
        CHECK(w.button("learn_button")->text() == "Learn again");
        // The dehumidifier stands at about -44 dBFS.
        CHECK(room_tone_of(learnt).level() == Approx(w.strip().levels().taps[1].room).margin(2.0));
        REQUIRE(Window::until(
            [&] {
                const auto& t = w.strip().levels().taps;
                return w.strip().levelsFit() && t[1].room_known && t[2].room_known &&
                       std::abs(t[1].room - t[2].room - 30.0) < 3.0;
            },
            60.0));
        w.app.history().undo();
        CHECK(w.strip().chainModel().stage("suppression")->taught.empty());
        w.app.history().redo();
        CHECK(w.strip().chainModel().stage("suppression")->taught == learnt);
        REQUIRE(w.save());
    }
    // It survives the end of the program, and a recall.
    Suppressing again(folder);
    CHECK(again.strip().chainModel().stage("suppression")->taught == learnt);
    again.app.scenes().recall("Evening quiet");
    again.app.scenes().recall("Bench talk");
    CHECK(again.strip().chainModel().stage("suppression")->taught == learnt);
}

TEST_CASE("learning is refused when somebody speaks, and can be cancelled") {
    TemporaryFolder folder;
    Suppressing w(folder);
    w.strip().input().setRoom(kRoomEffort, 3);
    Suppressing::click(w.method(2));
    w.strip().learning().start("suppression", 4.0);
    REQUIRE(
        Window::until([&] { return w.strip().learning().state() == ui::NoiseProfileLearner::State::idle; }));
    CHECK(w.strip().chainModel().stage("suppression")->taught.empty());
    CHECK_THAT(w.window.messages()->text().toStdString(), Catch::Contains("speech at"));
    QTest::keyClick(&w.window, Qt::Key_Escape);

    Suppressing::click(w.button("learn_button"));
    QTest::qWait(200);
    Suppressing::click(w.button("learn_button"));
    CHECK(w.strip().learning().state() == ui::NoiseProfileLearner::State::idle);
    CHECK(w.strip().chainModel().stage("suppression")->taught.empty());
    // A stage that goes away while it learns.
    Suppressing::click(w.button("learn_button"));
    w.strip().chainModel().removeStage("suppression");
    CHECK(
        Window::until([&] { return w.strip().learning().state() == ui::NoiseProfileLearner::State::idle; }));
}

TEST_CASE("hum is looked for on request, and what is taken away can be heard") {
    TemporaryFolder folder;
    Suppressing w(folder);
    // A file that hums: 50 Hz and its multiples under noise.
    auto hum = noise(0.002, 5.0, 1);
    for (int n = 1; n <= 6; ++n) hum = mix(hum, sine(50.0 * n, 0.01 / n, 5.0));
    const std::string file = folder.path("hum.wav");
    write_wav(file, mono(hum));
    w.setInput({DeviceKind::sound_file, file});
    REQUIRE(w.heard(3.5));
    Suppressing::click(w.button("find_hum_button"));
    REQUIRE(Window::until([&] { return w.value("suppression", "hum") == 1.0; }));
    CHECK(w.value("suppression", "hum_frequency") == Approx(50.0).margin(0.1));
    CHECK(w.value("suppression", "hum_tones") == 6.0);
    CHECK(w.field("hum_tones")->isVisible());
    CHECK_THAT(w.window.messages()->text().toStdString(), Catch::Contains("Hum found at 50.0 Hz"));

    Suppressing::click(w.button("removed_button"));
    CHECK(w.value("suppression", "removed") == 1.0);
    REQUIRE(
        Window::until([&] { return w.advice().contains("The removed signal is being sent to the output"); }));
    Suppressing::click(w.button("removed_button"));
    CHECK(w.value("suppression", "removed") == 0.0);

    // White noise has none.
    const std::string plain = folder.path("plain.wav");
    write_wav(plain, mono(noise(0.01, 5.0, 2)));
    w.setInput({DeviceKind::sound_file, plain});
    REQUIRE(w.heard(2.6));
    Suppressing::click(w.button("find_hum_button"));
    REQUIRE(Window::until([&] { return w.window.messages()->text().startsWith("No hum found"); }));
}
