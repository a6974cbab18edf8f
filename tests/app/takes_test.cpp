// Takes in the window: kept, looped, compared, by keys alone.
#include <sys/resource.h>

#include <QListWidget>
#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <csignal>
#include <cstdint>
#include <filesystem>
#include <memory>

#include "actions/actions.h"
#include "app/window.h"
#include "base/file.h"
#include "model/takes/take_recorder.h"
#include "model/takes/takes_model.h"
#include "review/take_timeline_view.h"
#include "review/takes_page.h"

using namespace reed;
using namespace reed::test;
namespace fs = std::filesystem;

namespace {

/// A window whose microphone says words, over and over.
struct Talking : Window {
    explicit Talking(TemporaryFolder& f) : Window(f) {
        words = spoken_words();
        write_wav(f.path("words.wav"), mono(words));
        setInput({DeviceKind::sound_file, f.path("words.wav")});
        window.activateWindow();
        QObject::connect(&app.notices(), &ui::Notifications::told, &window,
                         [this](const QString& text) { said += text + "\n"; });
    }
    QString said;  // all that was told
    ui::TakesModel& takes() { return app.takes(); }
    void key(int code, Qt::KeyboardModifiers with = Qt::NoModifier) {
        QTest::keyClick(&window, Qt::Key(code), with);
    }
    /// One is chosen and in the list.
    bool chosen() {
        return until([&] { return !takes().chosen().path.empty() && !takes().all().empty(); });
    }
    ui::FlatButton* button(const char* name) { return window.takeView()->findChild<ui::FlatButton*>(name); }
    /// The newest tenth of a second of what goes out is digital silence.
    bool nothing_goes_out() {
        std::vector<float> x(4800);
        float* rows[2] = {x.data(), nullptr};
        const auto feed = app.context().live.feed_history();
        return feed->read(feed->written() - 4800, 4800, rows) && peak(x) == 0.0;
    }
    std::vector<float> words;
};

}  // namespace

TEST_CASE("what was just said is kept by a key, loops through the chain, and nothing of it goes out") {
    TemporaryFolder folder;
    Talking w(folder);
    REQUIRE(w.heard(4.0));
    w.key(Qt::Key_F5);
    REQUIRE(w.chosen());
    const Take take = w.takes().chosen();
    CHECK(take.seconds() > 3.5);
    CHECK(take.notes.device == "words.wav");
    // It is what came in, to the sample.
    const auto sound = read_sound(take.path);
    REQUIRE(sound.ok());
    const auto& kept = sound.value()[0];
    // Its end: what it begins with, another microphone may have said.
    const std::vector<float> part(kept.end() - 48000, kept.end() - 24000);
    auto again = w.words;
    append(again, w.words);
    bool found = false;
    // Where it is loudest, else all of a pause would have to be looked at.
    const auto loud = static_cast<size_t>(std::ranges::max_element(part) - part.begin());
    for (size_t at = 0; at + part.size() < again.size() && !found; ++at)
        found = std::abs(again[at + loud] - part[loud]) < 1e-6f &&
                largest_difference({again.begin() + static_cast<long>(at),
                                    again.begin() + static_cast<long>(at + part.size())},
                                   part) < 1e-6;
    CHECK(found);
    // The loop by a key; the window says so, and the feed is silent.
    w.key(Qt::Key_F6);
    CHECK(w.takes().looping());
    CHECK(w.window.windowTitle().startsWith("Loop"));
    CHECK(w.find<ui::FlatButton>("takes_button")->text() == "Loop");
    REQUIRE(Window::until([&] { return w.takes().position() >= 0.0; }));
    REQUIRE(Window::until([&] { return w.nothing_goes_out(); }));
    CHECK_FALSE(w.app.mute().on());  // the mute was not pressed
    // The levels are those of the take.
    CHECK(Window::until(
        [&] { return w.strip().levels().taps.size() > 1 && w.strip().levels().taps[0].voice_known; }));
    const double before = w.takes().position();
    CHECK(Window::until([&] { return w.takes().position() != before; }));
    // Another part, another take's place; the settings move meanwhile.
    w.takes().setPart(1.0, 2.0);
    CHECK(Window::until([&] { return w.takes().position() >= 1.0 && w.takes().position() <= 2.0; }));
    w.strip().chainModel().setValue(
        "gate", static_cast<size_t>(w.strip().chainModel().stage("gate")->stage_kind().find("hold")), 400);
    CHECK(w.nothing_goes_out());
    // Kept while it loops is still what the microphone says.
    w.key(Qt::Key_F6);
    CHECK_FALSE(w.takes().looping());
    CHECK(Window::until([&] { return !w.nothing_goes_out(); }));
    CHECK(w.window.windowTitle() == "Dusky Reed");
    // On wish it goes out, also while it loops, and not any more.
    w.takes().setAloud(true);
    w.key(Qt::Key_F6);
    REQUIRE(Window::until([&] { return w.takes().position() >= 0.0; }));
    CHECK(Window::until([&] { return !w.nothing_goes_out(); }));
    w.takes().setAloud(false);
    CHECK(Window::until([&] { return w.nothing_goes_out(); }));
    w.takes().setAloud(true);
    CHECK(Window::until([&] { return !w.nothing_goes_out(); }));
    w.key(Qt::Key_F6);
}

TEST_CASE("nothing goes out from the press of a loop until its end, however the input is opened meanwhile") {
    TemporaryFolder folder;
    Talking w(folder);
    REQUIRE(w.heard(3.0));
    (void)w.takes().keep(2.0);
    REQUIRE(w.chosen());
    // The disk is slow: reading has not begun when sound goes on.
    REQUIRE(Window::until([&] { return !w.nothing_goes_out(); }));
    auto feed = w.app.context().live.feed_history();
    const auto from = feed->written() + 480;  // the block that is on its way
    w.takes().setLooping(true);
    CHECK(w.strip().engine().muted());
    const auto silent_since = [&](const HistoryRing& ring, std::int64_t first) {
        first = std::max<std::int64_t>(first, ring.written() - 10 * 48000);
        std::vector<float> x(static_cast<size_t>(std::max<std::int64_t>(0, ring.written() - first)));
        float* rows[2] = {x.data(), nullptr};
        return x.empty() || (ring.read(first, static_cast<int>(x.size()), rows) && peak(x) == 0.0);
    };
    REQUIRE(Window::until([&] { return w.takes().position() > 0.3; }));
    CHECK(silent_since(*feed, from + 4800));  // after the fade, as of any mute
    // Another input, and other blocks and channels: silent from their first sample on.
    for (int i = 0; i < 3; ++i) {
        INFO("opening " << i);
        if (i == 0) w.strip().input().select({DeviceKind::simulated_room, ""});
        if (i == 1) w.strip().input().select({DeviceKind::sound_file, folder.path("words.wav")});
        if (i == 2) w.strip().input().reopen();
        w.opened();
        CHECK(w.strip().engine().muted());
        feed = w.app.context().live.feed_history();
        REQUIRE(Window::until([&] { return w.takes().position() > 0.3; }));
        CHECK(silent_since(*feed, 0));
        CHECK(silent_since(*w.strip().engine().feed_history(), 0));
    }
    CHECK(w.takes().silenceText().contains("no output"));
    REQUIRE(w.app.mixer().add(StripRole::voice) != nullptr);
    CHECK(w.takes().silenceText().contains("Voice is muted"));
    w.takes().setLooping(false);
    REQUIRE(Window::until([&] { return !w.strip().engine().muted(); }));
}

TEST_CASE("a loop survives another input, and ends with its strip") {
    TemporaryFolder folder;
    Talking w(folder);
    REQUIRE(w.heard(2.0));
    w.takes().keep(5.0);
    REQUIRE(w.chosen());
    w.takes().setLooping(true);
    REQUIRE(Window::until([&] { return w.takes().position() >= 0.0; }));
    w.setInput({DeviceKind::simulated_room, ""});
    REQUIRE(Window::until([&] { return w.takes().position() >= 0.0 && w.nothing_goes_out(); }));
    w.takes().setLooping(false);
    ui::StripModel* guest = w.app.mixer().add(StripRole::voice);
    guest->input().select({DeviceKind::sound_file, folder.path("words.wav")});
    REQUIRE(Window::until([&] { return !guest->input().isOpening(); }));
    w.takes().setLooping(true);
    CHECK(w.takes().strip() == guest);
    // The other voice is heard meanwhile.
    REQUIRE(Window::until([&] { return w.takes().position() >= 0.0; }));
    CHECK(Window::until([&] { return !w.nothing_goes_out(); }));
    w.app.mixer().remove("guest");
    CHECK_FALSE(w.takes().looping());
}

TEST_CASE("plain and processed are compared at one loudness, and blind") {
    TemporaryFolder folder;
    Talking w(folder);
    REQUIRE(w.heard(3.0));
    w.key(Qt::Key_F4);
    REQUIRE(w.window.takesShown());
    w.takes().keep(5.0);
    REQUIRE(w.chosen());
    w.key(Qt::Key_F7);
    REQUIRE(w.takes().comparing());
    CHECK(w.takes().looping());
    REQUIRE(Window::until([&] { return !w.takes().matched().isEmpty(); }));
    CHECK((w.takes().matched().contains("LU louder") || w.takes().matched().contains("equally loud")));
    CHECK(w.button("take_side")->text() == "Playing: Unprocessed");
    w.key(Qt::Key_F8);
    CHECK(w.takes().sideB());
    CHECK(w.button("take_side")->text() == "Playing: Now");
    // What is heard is there, though no headphones are.
    const auto heard = w.strip().liveStrip().takes().heard();
    const auto n = heard->written();
    CHECK(Window::until([&] { return heard->written() > n + 4800; }));
    // The chain is changed: it is worked out anew, and matched.
    const QString first = w.takes().matched();
    w.strip().chainModel().focus("compressor");
    REQUIRE(w.window.actions().run("set", "compressor makeup 12").isEmpty());
    CHECK(Window::until([&] { return w.takes().matched() != first && !w.takes().matched().isEmpty(); }));
    // Blind: ten rounds by keys alone.
    QTest::mouseClick(w.button("take_blind"), Qt::LeftButton);
    REQUIRE(w.takes().blind() != nullptr);
    CHECK(w.button("take_side")->isHidden());  // it would tell
    w.window.takeView()->wave()->setFocus();
    for (int i = 0; i < 10; ++i) {
        auto* view = w.window.takeView();
        QTest::keyClick(view, Qt::Key_X);
        CHECK(w.takes().sideB() == w.takes().blind()->x_is_b());
        QTest::keyClick(view, Qt::Key_2);
        CHECK(w.takes().sideB());
        QTest::keyClick(view, w.takes().blind()->x_is_b() ? Qt::Key_B : Qt::Key_A);
    }
    CHECK(w.takes().blind()->done());
    CHECK(w.window.findChild<QLabel*>("take_told")
              ->text()
              .startsWith("10 of 10 correct. Guessing would do this well in 0.1%"));
    w.key(Qt::Key_F7);
    CHECK_FALSE(w.takes().comparing());
    CHECK(w.takes().looping());
    // Other sides: without the stage in focus, a scene, what is taken away.
    using What = ui::ComparisonTarget::What;
    for (const auto& against :
         {ui::ComparisonTarget{What::without_stage, {}}, ui::ComparisonTarget{What::scene, "Evening quiet"},
          ui::ComparisonTarget{What::taken_away, {}}, ui::ComparisonTarget{What::stage_taken_away, {}}}) {
        w.takes().compare(against);
        CHECK(Window::until([&] { return !w.takes().matched().isEmpty(); }));
    }
    CHECK(w.takes().comparing());
    w.takes().compare({What::scene, "no such scene"});
    CHECK_FALSE(w.takes().comparing());
    CHECK(w.said.contains("Nothing to compare with"));
}

TEST_CASE("takes are found, renamed, trimmed, removed and brought back in the list") {
    TemporaryFolder folder;
    Talking w(folder);
    const TakeStore& store = w.takes().store();
    for (const char* name : {"Close, with shield", "Far away", "Shouted"})
        REQUIRE(store
                    .keep(mono(noise(0.05, 2.0, 3)), 48000,
                          {name, "Voice", "words.wav", "2026-11-2" + std::string(1, name[0]), ""})
                    .ok());
    REQUIRE(write_file(store.folder() / "broken.flac", "no sound").ok());
    w.key(Qt::Key_F4);
    auto* list = w.find<QListWidget>("take_list");
    REQUIRE(Window::until([&] { return list->count() == 4; }));
    auto* find = w.find<QLineEdit>("take_find");
    QTest::keyClicks(find, "FAR");
    REQUIRE(list->count() == 1);
    list->setCurrentRow(0);
    CHECK(w.takes().chosen().notes.name == "Far away");
    find->clear();
    CHECK(list->count() == 4);
    w.takes().rename("Far, again");
    REQUIRE(Window::until([&] { return w.takes().chosen().notes.name == "Far, again"; }));
    w.takes().setPart(0.5, 1.5);
    w.takes().trim();
    REQUIRE(Window::until([&] { return std::abs(w.takes().chosen().seconds() - 1.0) < 1e-3; }));
    QTest::keyClick(w.window.takeView(), Qt::Key_Delete);
    CHECK(w.takes().chosen().path.empty());
    REQUIRE(Window::until([&] { return list->count() == 3; }));
    w.takes().restoreRemoved();
    REQUIRE(
        Window::until([&] { return list->count() == 4 && w.takes().chosen().notes.name == "Far, again"; }));
    // The wheel over a list that is at its end turns nothing of the chain.
    const ui::SharedState chain = w.strip().chainModel().state();
    w.wheel(list->viewport(), QPoint(20, 20), 3);
    CHECK(w.strip().chainModel().state() == chain);
    // One that is broken says why, and the chosen one stays.
    for (int i = 0; i < list->count(); ++i) {
        if (list->item(i)->text().startsWith("broken")) list->setCurrentRow(i);
    }
    CHECK(w.said.contains("can't be read as audio"));
    CHECK(w.takes().chosen().notes.name == "Far, again");
    // One that was deleted outside.
    fs::remove(w.takes().chosen().path);
    w.takes().setLooping(true);
    REQUIRE(Window::until([&] { return !w.takes().looping(); }));
    CHECK(w.said.contains("doesn't exist"));
    // Out, and a report.
    list->setCurrentRow(0);
    w.takes().choose(w.takes().all().front());
    REQUIRE(w.takes().chosen().problem.empty());
    w.takes().exportTo(QString::fromStdString(folder.path("out.flac")), true);
    w.takes().writeReport(QString::fromStdString(folder.path("out.html")));
    CHECK(Window::until(
        [&] { return fs::exists(folder.path("out.flac")) && fs::exists(folder.path("out.html")); }));
    REQUIRE(write_file(folder.path("again through the chain.wav"), "of someone else").ok());
    w.takes().exportBoth(QString::fromStdString(folder.path("again.wav")));
    CHECK(Window::until([&] { return fs::exists(folder.path("again through the chain-2.wav")); }));
    CHECK(read_file(folder.path("again through the chain.wav"), 100).value() == "of someone else");
    w.takes().exportBoth(QString::fromStdString(folder.path("both.wav")));
    CHECK(Window::until([&] {
        return fs::exists(folder.path("both.wav")) && fs::exists(folder.path("both through the chain.wav"));
    }));
    const auto plain = read_sound(folder.path("both.wav")),
               made = read_sound(folder.path("both through the chain.wav"));
    REQUIRE((plain.ok() && made.ok()));
    CHECK(plain.value()[0] == read_sound(w.takes().chosen().path).value()[0]);
    CHECK(made.value().frames() == plain.value().frames());
    CHECK(made.value()[0] != plain.value()[0]);
    w.takes().exportTo(QString::fromStdString(folder.path("nowhere/out.flac")), false);
    CHECK(Window::until([&] { return w.said.contains("folder doesn't exist"); }));
}

TEST_CASE("what takes its time tells how far it is, can be ended, and leaves nothing then") {
    TemporaryFolder folder;
    Talking w(folder);
    REQUIRE(w.takes().store().keep(mono(noise(0.02, 240.0, 3)), 48000, {"Long", "", "", "", ""}).ok());
    w.key(Qt::Key_F4);
    auto* list = w.find<QListWidget>("take_list");
    REQUIRE(Window::until([&] { return list->count() == 1; }));
    list->setCurrentRow(0);
    auto* told = w.window.takeView()->findChild<QLabel*>("take_told");
    const auto words = [&] { return told->text(); };
    CHECK(w.button("take_end")->isHidden());
    // Four minutes through a network: long on any machine.
    w.strip().chainModel().addStage(*find_stage_kind("suppression"), 1);
    for (const bool by_key : {false, true}) {
        w.said.clear();
        w.takes().exportTo(QString::fromStdString(folder.path("out.flac")), true);
        REQUIRE(Window::until([&] { return !w.button("take_end")->isHidden(); }));
        CHECK(words().contains("Exporting out.flac: "));
        const QString then = words();
        CHECK(Window::until([&] { return words() != then; }));  // further
        // The window goes on meanwhile: another part, another name typed.
        w.takes().setPart(1.0, 2.0);
        if (by_key)
            QTest::keyClick(list, Qt::Key_Escape);
        else
            QTest::mouseClick(w.button("take_end"), Qt::LeftButton);
        REQUIRE(Window::until([&] { return w.said.contains("Cancelled: Exporting out.flac"); }));
        CHECK(w.window.takeView()->isVisible());
        CHECK(w.button("take_end")->isHidden());
        CHECK_FALSE(words().contains("Writing"));
        CHECK_FALSE(fs::exists(folder.path("out.flac")));
        for (const auto& entry : fs::directory_iterator(folder.folder()))
            CHECK(entry.path().string().find("out.flac") == std::string::npos);
    }
    // A comparison that is ended is none; and what is worked out anew is not told twice.
    w.takes().setPart(0.0, 100.0);
    w.takes().compare({ui::ComparisonTarget::What::plain, {}});
    REQUIRE(Window::until([&] { return words().contains("Rendering both sides: "); }));
    QTest::keyClick(w.window.takeView(), Qt::Key_Escape);
    CHECK(Window::until([&] { return !w.takes().comparing(); }));
    CHECK(w.takes().looping());
}

TEST_CASE("a recording that has become as long as a take may be ends, and can be taken in") {
    TemporaryFolder folder;
    Talking w(folder);
    ui::TakeRecorder recorder(w.app.notices(), 1.5);
    recorder.start({&w.strip()}, folder.path("takes"));
    REQUIRE(Window::until([&] { return !recorder.pump(); }));
    const auto recorded = recorder.stop();
    REQUIRE(recorded.size() == 1);
    const auto taken = ui::TakeRecorder::takeIn(w.takes().store(), recorded[0]);
    REQUIRE(taken.ok());
    CHECK(taken.value().seconds() <= 1.5);
    CHECK(taken.value().seconds() > 1.0);
    CHECK_FALSE(fs::exists(recorded[0]));
}

TEST_CASE("a take is recorded from now on, of all voices at once") {
    TemporaryFolder folder;
    Talking w(folder);
    ui::StripModel* guest = w.app.mixer().add(StripRole::voice);
    guest->input().select({DeviceKind::sound_file, folder.path("words.wav")});
    REQUIRE(Window::until([&] { return !guest->input().isOpening() && guest->input().isAttached(); }));
    // What each strip had processed before and after a key press. The strips' sources run in threads of their
    // own, so on a loaded machine one may be behind; each take still has what came between the two presses.
    const auto processed = [&] {
        return std::array{w.strip().liveStrip().said()->written(), guest->liveStrip().said()->written()};
    };
    const auto before_start = processed();
    w.takes().record(true);
    const auto after_start = processed();
    CHECK(w.takes().recording());
    CHECK(w.window.windowTitle().startsWith("Recording"));
    REQUIRE(Window::until([&] { return w.takes().recordedSeconds() > 1.5; }));
    w.window.activateWindow();
    const auto before_end = processed();
    w.key(Qt::Key_F5, Qt::ShiftModifier);
    const auto after_end = processed();
    CHECK_FALSE(w.takes().recording());
    REQUIRE(Window::until([&] { return w.takes().all().size() == 2; }));
    for (const Take& t : w.takes().all()) {
        CAPTURE(t.notes.strip);
        CHECK(t.problem.empty());
        const std::size_t i = t.notes.strip == w.strip().name().toStdString() ? 0 : 1;
        const auto frames = static_cast<std::int64_t>(std::lround(t.seconds() * 48000.0));
        CHECK(frames >= before_end[i] - after_start[i]);
        CHECK(frames <= after_end[i] - before_start[i]);
        if (i == 0) CHECK(t.seconds() > 1.4);  // the one that was waited for
    }
    // Nothing unfinished is left beside them.
    for (const auto& entry : fs::directory_iterator(w.takes().store().folder()))
        CHECK_FALSE(entry.path().filename().string().starts_with("."));
}

namespace {

/// No file may get longer: what a full disk is to who writes.
struct FullDisk {
    rlimit before{};
    explicit FullDisk(rlim_t bytes) {
        std::signal(SIGXFSZ, SIG_IGN);
        getrlimit(RLIMIT_FSIZE, &before);
        rlimit now = before;
        now.rlim_cur = bytes;
        setrlimit(RLIMIT_FSIZE, &now);
    }
    ~FullDisk() { setrlimit(RLIMIT_FSIZE, &before); }
};

/// Those that are still written among them.
std::vector<fs::path> recordings(const Talking& w) {
    std::vector<fs::path> out;
    for (const auto& entry : fs::directory_iterator(w.app.takes().store().folder())) {
        if (entry.path().filename().string().starts_with(".recording-")) out.push_back(entry.path());
    }
    return out;
}

}  // namespace

TEST_CASE("a disk that fills while a take is recorded ends it, and what there is of it is kept") {
    TemporaryFolder folder;
    Talking w(folder);
    w.takes().import(QString::fromStdString(folder.path("words.wav")));
    REQUIRE(w.chosen());
    const Take earlier = w.takes().chosen();
    const auto earlier_bytes = read_file(earlier.path, 1 << 24);
    REQUIRE(earlier_bytes.ok());
    for (const bool room_for_the_take : {true, false}) {
        const auto count = w.takes().all().size();
        w.said.clear();
        {
            // Three seconds of it; and then none for the take that becomes of it.
            FullDisk disk(600'000);
            w.takes().record();
            REQUIRE(Window::until([&] { return w.takes().recordedSeconds() > 1.0; }));
            std::unique_ptr<FullDisk> fuller;
            if (!room_for_the_take) fuller = std::make_unique<FullDisk>(2'000);
            REQUIRE(Window::until([&] { return !w.takes().recording(); }));
            CHECK(w.said.contains("Check the free space"));
            if (room_for_the_take)
                REQUIRE(Window::until([&] { return w.takes().all().size() == count + 1; }));
            else
                REQUIRE(Window::until([&] { return w.said.contains("will be imported at the next start"); }));
        }
        CHECK(recordings(w).size() == (room_for_the_take ? 0 : 1));
        CHECK(read_file(earlier.path, 1 << 24).value() == earlier_bytes.value());
        if (!room_for_the_take) continue;
        const Take& kept = w.takes().all().front();
        CHECK(kept.problem.empty());
        CHECK(kept.seconds() > 1.0);
        const auto sound = read_sound(kept.path);
        REQUIRE(sound.ok());
        CHECK(peak(sound.value()[0]) > 0.1);
    }
    // There is room again: taken in at the next start.
    const auto count = w.takes().all().size();
    w.takes().recoverUnfinished();
    REQUIRE(Window::until([&] { return w.takes().all().size() == count + 1; }));
    CHECK(recordings(w).empty());
    CHECK(w.takes().chosen().seconds() > 1.0);
    CHECK(w.takes().chosen().notes.device == "words.wav");
    CHECK_FALSE(w.takes().chosen().notes.name.starts_with("."));
}

TEST_CASE("a recording that can't be read stays where it is, and is told") {
    TemporaryFolder folder;
    fs::create_directories(folder.path("takes"));
    REQUIRE(write_file(folder.path("takes/.recording-voice.wav"), "RIFF nothing").ok());
    write_wav(folder.path("takes/.recording-guest.wav"), mono(noise(0.1, 2.0, 1)));
    Talking w(folder);
    // The one that can be read is a take from the start on.
    REQUIRE(Window::until([&] { return w.takes().all().size() == 1; }));
    CHECK(w.takes().all().front().seconds() == 2.0);
    REQUIRE(Window::until([&] { return recordings(w).size() == 1; }));
    w.takes().recoverUnfinished();
    CHECK(Window::until([&] { return w.said.contains(".recording-voice.wav"); }));
    CHECK(recordings(w).size() == 1);
    // Another one goes beside it.
    w.takes().record();
    CHECK(recordings(w).size() == 2);
    // Nor is that one what somebody has left.
    CHECK(ui::TakeRecorder::leftIn(w.takes().store().folder()) ==
          std::vector<fs::path>{folder.path("takes/.recording-voice.wav")});
    REQUIRE(Window::until([&] { return w.takes().recordedSeconds() > 0.2; }));
    w.takes().stopRecording();
    REQUIRE(Window::until([&] { return w.takes().all().size() == 2; }));
    CHECK(Window::until([&] { return recordings(w).size() == 1; }));
    CHECK(read_file(folder.path("takes/.recording-voice.wav"), 100).value() == "RIFF nothing");
}

TEST_CASE("of a long take only what is known is drawn") {
    TemporaryFolder folder;
    Talking w(folder);
    while (w.strip().chainModel().chain().stages.size() > 1)
        w.strip().chainModel().removeStage(w.strip().chainModel().chain().stages.back().id);
    REQUIRE(w.takes().store().keep(mono(noise(0.1, 330.0, 3)), 48000, {"Long", "", "", "", ""}).ok());
    w.key(Qt::Key_F4);
    auto* list = w.find<QListWidget>("take_list");
    REQUIRE(Window::until([&] { return list->count() == 1; }));
    list->setCurrentRow(0);
    REQUIRE(Window::until([&] { return w.takes().report() != nullptr; }, 120.0));
    auto* wave = w.window.takeView()->wave();
    const QImage seen = wave->grab().toImage();
    // The level of a noise at -20 dBFS fills the picture from below, as far as it is known: 300 s of 330.
    const auto colour = [&](double part) {
        return seen.pixelColor(static_cast<int>(part * seen.width()), seen.height() * 7 / 10);
    };
    CHECK(colour(0.5) == colour(0.8));
    CHECK(colour(0.8) != colour(0.98));
}

TEST_CASE("the take along time is zoomed, gone through, and its part dragged") {
    TemporaryFolder folder;
    Talking w(folder);
    w.takes().import(QString::fromStdString(folder.path("words.wav")));
    w.key(Qt::Key_F4);
    REQUIRE(w.chosen());
    auto* wave = w.window.takeView()->wave();
    const double all = w.takes().chosen().seconds();
    CHECK(wave->shownTo() == Approx(all));
    REQUIRE(Window::until([&] { return w.takes().report() != nullptr; }));
    // A gate that cuts words: they are marked, and gone to by a key.
    REQUIRE(w.window.actions().run("set", "gate open_threshold -20").isEmpty());
    REQUIRE(w.window.actions().run("set", "gate hold 0").isEmpty());
    REQUIRE(w.window.actions().run("set", "gate release 5").isEmpty());
    REQUIRE(Window::until([&] { return !w.takes().report()->course.cuts.empty(); }));
    Window::drag(wave, QPoint(100, 60), QPoint(200, 0));
    CHECK(w.takes().from() > 0.0);
    CHECK(w.takes().to() < all);
    const double from = w.takes().from();
    w.wheel(wave, QPoint(200, 60), 5);
    CHECK(wave->shownTo() - wave->shownFrom() < all / 2);
    const double shown = wave->shownFrom();
    w.wheel(wave, QPoint(200, 60), -1, Qt::ShiftModifier);
    CHECK(wave->shownFrom() > shown);
    CHECK(w.takes().from() == from);
    w.takes().setPart(0.0, all);
    w.takes().setLooping(true);
    REQUIRE(Window::until([&] { return w.takes().position() >= 0.0; }));
    wave->setFocus();
    const double cut = w.takes().report()->course.cuts.back().at;
    w.takes().seek(cut - 2.0);
    REQUIRE(Window::until([&] { return std::abs(w.takes().position() - (cut - 2.0)) < 0.7; }));
    QTest::keyClick(wave, Qt::Key_C);
    const auto near_a_cut = [&] {
        const double at = w.takes().position();
        const auto& cuts = w.takes().report()->course.cuts;
        return std::ranges::any_of(cuts, [&](const auto& c) { return at > c.at - 0.6 && at < c.at + 0.6; });
    };
    CHECK(Window::until(near_a_cut));
}
