// The verdict on the chain as a whole: how far the feed is from its mark, one press towards it, and back.
#include <catch2/catch.hpp>

#include "app/window.h"
#include "deck/input_trace.h"
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
    REQUIRE(w.session.strip().setValue("gain", row("gain"), -18));
    // A change: what went out before is forgotten.
    CHECK(words->text().isEmpty());
    CHECK_FALSE(button->isVisible());
    REQUIRE(Window::until([&] { return words->text().contains("LU too quiet"); }, 30));
    CHECK(button->isVisible());
    CHECK(button->text().startsWith("Gain +"));
    CHECK(words->parentWidget()->rect().contains(button->geometry()));
    CHECK(words->fontMetrics().horizontalAdvance(words->text()) <= words->width());
    QTest::mouseClick(button, Qt::LeftButton);
    CHECK(w.value("gain", "gain") > -12.0);
    CHECK(words->text().isEmpty());  // it listens anew
    w.session.strip().undo();
    CHECK(w.value("gain", "gain") == -18.0);
}

TEST_CASE("the input is shown over time, with how far it is from its range and where it clipped") {
    TemporaryFolder folder;
    Window w(folder);
    auto* trace = w.find<ui::InputTrace>("input_trace");
    REQUIRE(trace != nullptr);
    CHECK_FALSE(trace->isVisible());  // the simulated room has its controls there
    const auto talk = [&](double peak_db) {
        auto x = spoken_words(3);
        const double by = std::pow(10.0, peak_db / 20.0) / peak(x);
        for (float& v : x) v = static_cast<float>(v * by);
        return x;
    };
    write_wav(folder.path("low.wav"), mono(talk(-30.0)));
    w.setInput({DeviceKind::sound_file, folder.path("low.wav")});
    REQUIRE(Window::until([&] { return trace->isVisible(); }));
    REQUIRE(Window::until([&] { return trace->verdict().endsWith("dB low"); }, 20));
    CHECK(trace->clippedPieces() == 0);
    // The sentence above it says the same.
    auto* sentence = w.find<QLabel>("input_advice");
    const auto says = [&](const char* what) {
        return Window::until([&] { return sentence->text().startsWith(what); });
    };
    CHECK(says("Low: peaks reach"));
    // The range is painted, and the voice does not reach it.
    write_wav(folder.path("right.wav"), mono(talk(-8.0)));
    w.setInput({DeviceKind::sound_file, folder.path("right.wav")});
    CHECK(trace->pieces() <= 1);  // another input, another half minute
    // It begins with the sound, not with the time in which none came yet.
    size_t first = 0;
    QObject lives;
    qint64 tenths = 0;  // that passed between the tick before and the one with which it began
    QElapsedTimer since;
    since.start();
    QObject::connect(&w.session, &ui::Session::ticked, &lives, [&] {
        const qint64 passed = since.restart() / 100;
        if (first == 0) {
            first = trace->pieces();
            tenths = passed;
        }
    });
    REQUIRE(Window::until([&] { return trace->verdict() == "Right"; }, 20));
    CHECK(says("Level is right"));
    // Words are shown as words from their beginning, though it is known late; and nothing from before the
    // sound.
    REQUIRE(Window::until([&] { return trace->pieces() > 40; }, 60));
    // How soon it is known differs with the machine; but no word begins as room before it is told as a word:
    // a stretch shorter than the four pieces by which it may be late has something much quieter before it.
    const auto& shown = trace->shown();
    int stretches = 0;
    for (size_t at = 1; at < shown.size();) {
        size_t end = at;
        float highest = -150.0f;
        for (; end < shown.size() && shown[end].spoken; ++end) highest = std::max(highest, shown[end].peak);
        if (end > at && !shown[at - 1].spoken) {
            ++stretches;
            INFO("from " << at << " to " << end);
            CHECK((end - at >= 4 || shown[at - 1].peak < highest - 20.0f));
        }
        at = std::max(end, at + 1);
    }
    CHECK(stretches > 1);
    CHECK(static_cast<qint64>(first) <= tenths + 2);
    auto clipped = talk(6.0);
    for (float& v : clipped) v = std::clamp(v, -1.0f, 1.0f);
    write_wav(folder.path("hot.wav"), mono(clipped));
    w.setInput({DeviceKind::sound_file, folder.path("hot.wav")});
    REQUIRE(Window::until([&] { return trace->verdict().endsWith("dB too hot"); }, 20));
    CHECK(Window::until([&] { return trace->clippedPieces() > 0; }));
    write_wav(folder.path("mute.wav"), mono(silence(2.0)));
    w.setInput({DeviceKind::sound_file, folder.path("mute.wav")});
    REQUIRE(Window::until([&] { return trace->verdict() == "Silence"; }, 20));
}

TEST_CASE("what a stage proposes is set by one press, and taken back by one step", "[app]") {
    TemporaryFolder folder;
    Window w(folder);
    w.session.devices().setRoom(kRoomEffort, 3);
    w.session.strip().focus("gate");
    const auto row = [](const char* id) { return static_cast<size_t>(kGateStage.find(id)); };
    w.session.strip().setValue("gate", row("close_threshold"), -78);
    w.session.strip().setValue("gate", row("open_threshold"), -70);
    auto* apply = w.find<ui::FlatButton>("apply_button");
    auto* advice = w.find<QLabel>("advice");
    REQUIRE(Window::until([&] { return advice->text().contains("so the room passes") && apply->isVisible(); },
                          60));
    CHECK(apply->text().startsWith("Open at -"));
    QTest::mouseClick(apply, Qt::LeftButton);
    CHECK(w.value("gate", "open_threshold") > -70);
    CHECK(w.value("gate", "close_threshold") > -78);
    REQUIRE(
        Window::until([&] { return advice->text().contains("stand between") && !apply->isVisible(); }, 60));
    w.session.strip().undo();
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
        w.session.strip().setValue("gain", static_cast<size_t>(find_stage_kind("gain")->find("gain")), -12);
        REQUIRE(Window::until([&] { return words->text().endsWith("LU too quiet."); }, 60));
        const double off = words->text().section(' ', 0, 0).toDouble();
        QTest::mouseClick(mark, Qt::LeftButton);
        REQUIRE(w.choose("target_popup", "-23 LUFS"));
        CHECK(mark->text() == "-23 LUFS");
        CHECK(mark->x() < usual - 30);
        // At once, from what was heard already; 7 LU less are missing.
        CHECK(words->text() != QString("%1 LU too quiet.").arg(off, 0, 'f', 1));
        w.session.preferences().setTarget(-18.5);
        CHECK(w.session.saveState());
    }
    Window w(folder);
    CHECK(w.session.preferences().target() == -18.5);
    CHECK(w.find<ui::FlatButton>("target_button")->text() == "-18.5 LUFS");
    w.session.preferences().setTarget(-90);
    CHECK(w.session.preferences().target() == -30);
    // Muted, it leaves its place to what is said then.
    w.session.setMuted(true);
    CHECK_FALSE(w.find<ui::FlatButton>("target_button")->isVisible());
}
