// The verdict on the chain as a whole: how far the feed is from its mark, one press towards it, and back.
#include <QElapsedTimer>
#include <QRegularExpression>
#include <catch2/catch.hpp>

#include "app/window.h"
#include "deck/advice_popover.h"
#include "deck/input_levels.h"
#include "measure/findings.h"
#include "model/soundcheck/output_advisor.h"
#include "stages/gate.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("a feed that is too quiet is told, one press raises the gain, and undo takes it back") {
    TemporaryFolder folder;
    Window w(folder);
    auto* words = w.find<QLabel>("feed_verdict");
    auto* button = w.find<ui::FlatButton>("verdict_button");
    REQUIRE((words != nullptr && button != nullptr));
    const auto row = [](const char* id) { return static_cast<size_t>(find_stage_kind("gain")->find(id)); };
    REQUIRE(w.strip().chainModel().setValue("gain", row("gain"), -18));
    // A change: what went out before is forgotten.
    REQUIRE(Window::until([&] { return words->text().isEmpty() && !button->isVisible(); }));
    REQUIRE(Window::until([&] { return words->text().contains("LU too quiet"); }, 30));
    CHECK(button->isVisible());
    CHECK(button->text().startsWith("Raise gain by"));
    CHECK(words->parentWidget()->rect().contains(button->geometry()));
    CHECK(words->fontMetrics().horizontalAdvance(words->text()) <= words->width());
    QTest::mouseClick(button, Qt::LeftButton);
    CHECK(w.value("gain", "gain") > -12.0);
    CHECK(words->text().isEmpty());  // it listens anew
    w.app.history().undo();
    CHECK(w.value("gain", "gain") == -18.0);
    // An offer does not vanish under the finger: a change of another value leaves it for a moment.
    REQUIRE(Window::until([&] { return button->isVisible(); }, 30));
    w.strip().chainModel().setValue("gate", static_cast<size_t>(find_stage_kind("gate")->find("hold")), 250);
    CHECK(button->isVisible());
    QTest::mouseClick(button, Qt::LeftButton);
    CHECK(w.value("gain", "gain") > -12.0);
    CHECK_FALSE(button->isVisible());
    // It stays for its time, and disappears then without being pressed.
    w.app.history().undo();
    REQUIRE(Window::until([&] { return button->isVisible(); }, 30));
    QElapsedTimer since;
    since.start();
    w.strip().chainModel().setValue("gate", static_cast<size_t>(find_stage_kind("gate")->find("hold")), 260);
    bool gone = false;
    REQUIRE(Window::until([&] {
        gone = gone || (!button->isVisible() && since.elapsed() < ui::OutputAdvisor::kStays);
        return since.elapsed() > ui::OutputAdvisor::kStays / 2;
    }));
    CHECK_FALSE(gone);
    CHECK(Window::until([&] { return !button->isVisible(); }, 5));
}

TEST_CASE("output panel names a problem of the whole chain, and one press mends it") {
    TemporaryFolder folder;
    Window w(folder);
    auto* words = w.find<QLabel>("feed_verdict");
    auto* button = w.find<ui::FlatButton>("verdict_button");
    const std::string order = w.order();
    const auto last = static_cast<int>(w.strip().chainModel().chain().stages.size()) - 1;
    w.strip().chainModel().moveStage("limiter", 0);
    REQUIRE(Window::until([&] { return words->text() == "The limiter isn't last."; }));
    CHECK(words->toolTip().contains("ceiling"));
    CHECK(button->isVisible());
    CHECK(words->fontMetrics().horizontalAdvance(words->text()) <= words->width());
    QTest::mouseClick(button, Qt::LeftButton);
    CHECK(w.order() == order);
    w.app.history().undo();
    CHECK(w.strip().chainModel().chain().index_of("limiter") == 0);
    w.app.history().redo();
    CHECK(w.strip().chainModel().chain().index_of("limiter") == last);
    w.strip().chainModel().removeStage("limiter");
    REQUIRE(Window::until([&] { return words->text() == "No limiter."; }));
    QTest::mouseClick(button, Qt::LeftButton);
    CHECK(w.strip().chainModel().chain().stages.back().kind == "limiter");
    // An offer that outlasts another change mends the chain as it is by then.
    w.strip().chainModel().moveStage("limiter", 0);
    REQUIRE(Window::until([&] { return words->text() == "The limiter isn't last."; }));
    w.strip().chainModel().setValue("gate", static_cast<size_t>(find_stage_kind("gate")->find("hold")), 333);
    REQUIRE(button->isVisible());
    QTest::mouseClick(button, Qt::LeftButton);
    CHECK(w.strip().chainModel().chain().stages.back().kind == "limiter");
    CHECK(w.value("gate", "hold") == 333.0);
    // Many changes in a moment are no time that it lasts.
    w.strip().chainModel().moveStage("limiter", 0);
    for (int i = 0; i < 20; ++i)
        w.strip().chainModel().setValue("gate", static_cast<size_t>(find_stage_kind("gate")->find("hold")),
                                        300 + i);
    CHECK(words->text() != "The limiter isn't last.");
    w.strip().chainModel().moveStage("limiter", last);
    // With a second voice the sum has a limiter of its own.
    w.strip().chainModel().removeStage("limiter");
    w.app.mixer().add(StripRole::voice);
    CHECK(Window::until([&] { return words->text() != "No limiter."; }));
}

TEST_CASE("output panel says which stage lets no speech through, and hides and lists advice") {
    TemporaryFolder folder;
    Window w(folder);
    auto* words = w.find<QLabel>("feed_verdict");
    auto* button = w.find<ui::FlatButton>("verdict_button");
    auto* more = w.find<ui::FlatButton>("advice_menu_button");
    const auto row = [](const char* id) { return static_cast<size_t>(find_stage_kind("gate")->find(id)); };
    CHECK_FALSE(more->isVisible());
    REQUIRE(
        Window::until([&] { return w.strip().levelsFit() && w.strip().levels().taps[0].voice_known; }, 60));
    for (const char* id : {"open_threshold", "close_threshold"})
        w.strip().chainModel().setValue("gate", row(id), 0.0);
    w.strip().chainModel().setValue("gate", row("range"), -80.0);
    REQUIRE(Window::until([&] { return words->text() == "Gate lets no speech through."; }, 60));
    CHECK(words->fontMetrics().horizontalAdvance(words->text()) <= words->width());
    CHECK(more->isVisible());
    CHECK_FALSE(more->geometry().intersects(button->geometry()));
    CHECK_FALSE(more->geometry().intersects(words->geometry()));
    w.strip().chainModel().renameStage("gate", "The gate in front of the old lathe and the rain");
    REQUIRE(Window::until([&] { return words->text() == "A stage lets no speech through."; }));
    CHECK(words->toolTip().contains("old lathe"));
    CHECK(words->fontMetrics().horizontalAdvance(words->text()) <= words->width());
    QTest::mouseClick(button, Qt::LeftButton);
    CHECK(w.strip().chainModel().stage("gate")->bypass);
    CHECK(Window::until([&] { return words->text() != "Gate lets no speech through."; }));
    w.strip().chainModel().setFader(kFaderMinDb);
    REQUIRE(Window::until([&] { return words->text() == "The fader is all the way down."; }, 60));
    CHECK(words->fontMetrics().horizontalAdvance(words->text()) <= words->width());
    // Hidden it is not shown again, also after a new start.
    QTest::mouseClick(more, Qt::LeftButton);
    REQUIRE(w.choose("advice_menu", "Hide this advice"));
    CHECK(words->text() != "The fader is all the way down.");
    CHECK_FALSE(more->isVisible());
    REQUIRE(w.app.saveState());
    {
        Window again(folder);
        REQUIRE(Window::until(
            [&] { return again.strip().levelsFit() && again.strip().levels().taps[0].voice_known; }, 60));
        const auto shown = [&] { return again.find<QLabel>("feed_verdict")->text().contains("fader"); };
        CHECK_FALSE(Window::until(shown, 5));
        again.app.preferences().showAllAdvice();
        CHECK(Window::until(shown));
    }
    // All of it is listed, the newest first.
    auto* list = new ui::AdvicePopover(w.app, &w.window);
    list->openBelow(*words);
    QStringList lines;
    for (const auto* label : list->findChildren<QLabel*>("advice_text")) lines += label->text();
    const qsizetype gate = lines.indexOf(QRegularExpression(".*reaches “.*”, but.*"));
    const qsizetype fader = lines.indexOf(QRegularExpression(".*fader of this strip.*"));
    REQUIRE(gate >= 0);
    REQUIRE(fader >= 0);
    CHECK(fader < gate);
    CHECK(lines.at(gate + 1) == "applied");
    CHECK(lines.at(fader + 1).startsWith("until"));
    auto* all = list->findChild<ui::FlatButton*>("advice_show_all");
    REQUIRE(all != nullptr);
    all->click();
    CHECK_FALSE(w.app.preferences().hidesAnyAdvice());
    // A mute is shown as such, not as advice.
    w.app.mute().set(true);
    CHECK(Window::until([&] { return words->text() != "The fader is all the way down."; }));
}

TEST_CASE("the input panel shows how far the peaks are from their range, and when the source clipped") {
    TemporaryFolder folder;
    Window w(folder);
    auto* levels = w.find<ui::InputLevels>("input_levels");
    REQUIRE(levels != nullptr);
    CHECK_FALSE(levels->isVisible());  // the simulated room has its controls there
    const auto talk = [&](double peak_db) {
        auto x = spoken_words(3);
        const double by = std::pow(10.0, peak_db / 20.0) / peak(x);
        for (float& v : x) v = static_cast<float>(v * by);
        return x;
    };
    write_wav(folder.path("low.wav"), mono(talk(-45.0)));
    w.setInput({DeviceKind::sound_file, folder.path("low.wav")});
    REQUIRE(Window::until([&] { return levels->isVisible(); }));
    // Not judged in its first seconds.
    QElapsedTimer since;
    since.start();
    while (levels->seconds() < kJudgeAfter - 0.5) {
        REQUIRE(since.elapsed() < 60'000);  // ms; sound comes in
        CHECK(levels->verdict() == "No speech yet");
        Window::until([] { return false; }, 0.1);
    }
    REQUIRE(Window::until([&] { return levels->verdict().endsWith("dB too quiet"); }, 20));
    CHECK(levels->clipAges().empty());
    // The sentence above it says the same.
    auto* sentence = w.find<QLabel>("input_advice");
    const auto says = [&](const char* what) {
        return Window::until([&] { return sentence->text().startsWith(what); });
    };
    CHECK(says("Too quiet: peaks reach"));
    // Raw peaks below the range are fine when the chain brings them up.
    w.strip().chainModel().setValue("gain", static_cast<size_t>(find_stage_kind("gain")->find("gain")), 24);
    REQUIRE(Window::until([&] { return levels->verdict() == "Level OK"; }, 60));
    CHECK(says("Input level OK"));
    w.app.history().undo();
    write_wav(folder.path("right.wav"), mono(talk(-20.0)));
    w.setInput({DeviceKind::sound_file, folder.path("right.wav")});
    CHECK(levels->verdict() == "No speech yet");  // another input, measured from scratch
    CHECK(levels->distribution().voice.empty());
    REQUIRE(Window::until([&] { return levels->verdict() == "Level OK"; }, 20));
    // Its speech is in the distribution where it is: below the peak, above the noise.
    const auto has_voice = [&] {
        const auto& shares = levels->distribution().voice;
        return std::ranges::any_of(shares, [](float share) { return share > 0.0f; });
    };
    REQUIRE(Window::until(has_voice, 20));
    const auto& voice = levels->distribution().voice;
    const auto top = std::ranges::max_element(voice) - voice.begin() + LevelDistribution::kLowestBin;
    CHECK(top < -20);
    CHECK(top > -50);
    auto clipped = talk(6.0);
    for (float& v : clipped) v = std::clamp(v, -1.0f, 1.0f);
    write_wav(folder.path("hot.wav"), mono(clipped));
    w.setInput({DeviceKind::sound_file, folder.path("hot.wav")});
    REQUIRE(Window::until([&] { return levels->verdict().endsWith("dB too loud"); }, 20));
    REQUIRE(Window::until([&] { return !levels->clipAges().empty(); }));
    CHECK(levels->clipAges().front() >= 0);
    // A clip is marked once, however long it is remembered.
    auto once = talk(-20.0);
    std::fill_n(once.begin() + 24000, 20, 1.0f);
    write_wav(folder.path("once.wav"), mono(once));
    w.setInput({DeviceKind::sound_file, folder.path("once.wav")});
    REQUIRE(Window::until([&] { return !levels->clipAges().empty() && levels->clipAges().back() >= 3; }));
    CHECK(levels->clipAges().size() == 1);
    write_wav(folder.path("mute.wav"), mono(silence(2.0)));
    w.setInput({DeviceKind::sound_file, folder.path("mute.wav")});
    CHECK(levels->clipAges().empty());
    REQUIRE(Window::until([&] { return levels->verdict() == "Silence"; }, 20));
}

TEST_CASE("what a stage proposes is set by one press, and taken back by one step", "[app]") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().input().setRoom(kRoomEffort, 3);
    w.strip().chainModel().focus("gate");
    const auto row = [](const char* id) { return static_cast<size_t>(kGateStage.find(id)); };
    w.strip().chainModel().setValue("gate", row("close_threshold"), -78);
    w.strip().chainModel().setValue("gate", row("open_threshold"), -70);
    auto* apply = w.find<ui::FlatButton>("apply_button");
    auto* advice = w.find<QLabel>("advice");
    REQUIRE(Window::until(
        [&] { return advice->text().contains("so noise gets through") && apply->isVisible(); }, 60));
    CHECK(apply->text().startsWith("Set to -"));
    QTest::mouseClick(apply, Qt::LeftButton);
    CHECK(w.value("gate", "open_threshold") > -70);
    CHECK(w.value("gate", "close_threshold") > -78);
    REQUIRE(
        Window::until([&] { return advice->text().contains("are in between") && !apply->isVisible(); }, 60));
    w.app.history().undo();
    CHECK(w.value("gate", "open_threshold") == -70);
    CHECK(w.value("gate", "close_threshold") == -78);
}

TEST_CASE("the mark of the feed's loudness is chosen, judged by, and there again at the next start",
          "[app]") {
    TemporaryFolder folder;
    {
        Window w(folder);
        auto* mark = w.find<ui::FlatButton>("target_button");
        auto* words = w.find<QLabel>("feed_verdict");
        CHECK(mark->text() == "-16 LUFS");
        const int usual = mark->x();
        w.strip().chainModel().setValue("gain", static_cast<size_t>(find_stage_kind("gain")->find("gain")),
                                        -12);
        REQUIRE(Window::until([&] { return words->text().endsWith("LU too quiet."); }, 60));
        const double off = words->text().section(' ', 0, 0).toDouble();
        QTest::mouseClick(mark, Qt::LeftButton);
        REQUIRE(w.choose("target_popup", "-23 LUFS"));
        CHECK(mark->text() == "-23 LUFS");
        CHECK(mark->x() < usual - 30);
        // At once, from what was heard already; 7 LU less are missing.
        CHECK(words->text() != QString("%1 LU too quiet.").arg(off, 0, 'f', 1));
        w.app.preferences().setTarget(-18.5);
        CHECK(w.app.saveState());
    }
    Window w(folder);
    CHECK(w.app.preferences().target() == -18.5);
    CHECK(w.find<ui::FlatButton>("target_button")->text() == "-18.5 LUFS");
    w.app.preferences().setTarget(-90);
    CHECK(w.app.preferences().target() == -30);
    // Muted, it leaves its place to what is said then.
    w.app.mute().set(true);
    CHECK_FALSE(w.find<ui::FlatButton>("target_button")->isVisible());
}
