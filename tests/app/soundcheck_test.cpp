// The soundcheck in the real window: by keys alone, cancelled, and with an input that is lost.
#include <QDateTime>
#include <catch2/catch.hpp>

#include "app/window.h"
#include "base/file.h"
#include "measure/speech_level.h"
#include "model/devices/microphones.h"
#include "model/soundcheck/soundcheck_follow_up.h"
#include "model/takes/takes_model.h"
#include "review/soundcheck_page.h"
#include "support/noises.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;
using Model = ui::SoundcheckModel;

namespace {

struct Checking : Window {
    using Window::Window;
    Model& model() { return app.soundcheck(); }
    ui::FlatButton* button(const char* name) { return window.soundcheck()->findChild<ui::FlatButton*>(name); }
    QString text(const char* name) {
        auto* label = window.soundcheck()->findChild<QLabel*>(name);
        return label != nullptr && label->isVisible() ? label->text() : QString();
    }
    /// A key where the focus is.
    void press(int code) {
        QWidget* focused = window.focusWidget();
        QTest::keyClick(focused != nullptr ? focused : &window, Qt::Key(code));
    }
    bool at(Model::Phase phase) { return model().phase() == phase; }
    /// Begins by its key and leaves the choice of the input.
    void begin() {
        window.activateWindow();
        QTest::keyClick(&window, Qt::Key_F3);
        REQUIRE(window.soundcheck()->isVisible());
    }
    /// Records the current step in full and waits for the next.
    void step(SoundcheckStep which) {
        REQUIRE(model().current() == which);
        press(Qt::Key_Return);
        REQUIRE(model().recording());
        REQUIRE(until([&] { return model().state(which) != Model::StepState::recording; }, 60.0));
        REQUIRE(until([&] { return model().state(which) != Model::StepState::checking; }));
        INFO(model().problem(which).toStdString());
        REQUIRE(model().state(which) == Model::StepState::done);
    }
};

}  // namespace

TEST_CASE("soundcheck by keys alone fits a chain to the simulated room, and undo takes it back") {
    TemporaryFolder folder;
    Checking w(folder);
    w.setInput({DeviceKind::simulated_room, ""});
    const std::string before = w.order();
    const double effort = w.strip().input().simulatedRoom()->get(kRoomEffort);
    w.begin();
    w.step(SoundcheckStep::silence);
    CHECK(w.model().noise().has_value());
    w.step(SoundcheckStep::talk);
    // Optional steps are skipped by Tab and Enter.
    for (const SoundcheckStep s : {SoundcheckStep::quiet, SoundcheckStep::loud, SoundcheckStep::noises}) {
        REQUIRE(w.model().current() == s);
        w.press(Qt::Key_Tab);
        CHECK(w.window.focusWidget() == w.button("soundcheck_skip"));
        w.press(Qt::Key_Return);
    }
    REQUIRE(Window::until([&] { return w.at(Model::Phase::results); }, 240.0));
    CHECK(w.window.focusWidget() == w.button("soundcheck_apply"));
    // The room's voice is as it was.
    CHECK(w.strip().input().simulatedRoom()->get(kRoomEffort) == effort);
    CHECK(w.text("soundcheck_summary").contains("LUFS"));
    CHECK_FALSE(w.model().findings().empty());
    const ChainSpec proposed = w.model().proposal().chain;
    CHECK(w.model().proposal().figures.loudness == Approx(-16.0).margin(0.5));
    CHECK(proposed.stages.back().stage_kind().lid);
    // A line that is off is missing from the chain.
    const auto& lines = w.model().proposal().lines;
    const auto suppression = std::ranges::find(lines, std::string_view("suppression"), &SoundcheckLine::id);
    REQUIRE(suppression != lines.end());
    const auto line = static_cast<size_t>(suppression - lines.begin());
    auto* button =
        w.window.soundcheck()->findChildren<ui::FlatButton*>("soundcheck_line").at(static_cast<int>(line));
    button->setFocus();
    w.press(Qt::Key_Space);
    CHECK_FALSE(w.model().isOn(line));
    CHECK(w.window.focusWidget() == button);  // the next line is a Tab away
    w.model().apply();
    REQUIRE(Window::until([&] { return w.model().applied(); }, 120.0));
    CHECK(w.strip().chainModel().chain().index_of(suppression->stage) < 0);
    CHECK(w.strip().chainModel().chain().stages.size() + 1 == proposed.stages.size());
    // What was measured is kept with the strip of the scene.
    const auto record = [&] { return w.strip().chainModel().scene().soundchecks; };
    REQUIRE(record().contains("voice"));
    CHECK(record().at("voice").microphone == "Simulated room");
    CHECK(record().at("voice").noise == w.model().facts().noise.level);
    REQUIRE(Window::until([&] { return record().at("voice").takes.size() == 2; }));
    w.app.history().undo();
    // Taken back by undo it is no longer in use.
    CHECK_FALSE(w.model().applied());
    CHECK(w.button("soundcheck_apply")->isEnabled());
    w.model().setOn(line, true);
    w.button("soundcheck_apply")->setFocus();
    w.press(Qt::Key_Return);
    CHECK(w.strip().chainModel().chain() == proposed);
    CHECK(w.button("soundcheck_apply")->text() == "In use");
    // One line alone goes into the chain that is there.
    w.app.history().undo();
    const ChainSpec there = w.strip().chainModel().chain();
    const auto alone = w.window.soundcheck()->findChildren<ui::FlatButton*>("soundcheck_alone");
    CHECK(alone.size() == std::ranges::count_if(lines, [](const auto& l) { return !l.stage.empty(); }));
    alone.front()->click();
    CHECK_FALSE(w.strip().chainModel().chain() == there);
    CHECK_FALSE(w.model().applied());
    w.app.history().undo();
    CHECK(w.strip().chainModel().chain() == there);
    w.model().apply();
    CHECK(w.strip().chainModel().chain() == proposed);
    w.model().saveReport(QString::fromStdString(folder.path("report.json")));
    const auto report = read_file(folder.path("report.json"), 1'000'000);
    REQUIRE(report.ok());
    CHECK(report.value().find("\"findings\"") != std::string::npos);
    w.model().saveReport(QString::fromStdString(folder.path("no/such/folder/report.txt")));
    CHECK(w.told().find("no/such/folder") != std::string::npos);
    // Its recordings are takes, and compare before and after.
    REQUIRE(Window::until([&] { return !w.app.takes().chosen().path.empty(); }));
    CHECK(w.app.takes().chosen().notes.name == "Soundcheck: Normal talk");
    REQUIRE(Window::until([&] { return w.button("soundcheck_compare")->isEnabled(); }));
    w.button("soundcheck_compare")->click();
    CHECK(w.app.takes().comparing());
    CHECK(w.app.takes().looping());
    w.press(Qt::Key_Escape);
    CHECK(w.at(Model::Phase::closed));
    CHECK_FALSE(w.window.soundcheck()->isVisible());
    CHECK_FALSE(w.app.takes().comparing());
    CHECK_FALSE(w.app.takes().looping());
    w.app.history().undo();
    CHECK(w.order() == before);
}

TEST_CASE("soundcheck step says at once why its recording can't be used, and can be repeated") {
    TemporaryFolder folder;
    Checking w(folder);
    // Speech all the time.
    write_wav(folder.path("words.wav"), mono(mix(spoken_words(), fan_noise(-60.0, 5.0))));
    w.setInput({DeviceKind::sound_file, folder.path("words.wav")});
    w.begin();
    w.press(Qt::Key_Return);
    REQUIRE(Window::until(
        [&] { return w.model().state(SoundcheckStep::silence) == Model::StepState::failed; }, 60.0));
    CHECK(w.text("soundcheck_problem").contains("Speech was heard"));
    CHECK(w.model().current() == SoundcheckStep::silence);
    // In silence it passes.
    write_wav(folder.path("room.wav"), mono(fan_noise(-60.0, 8.0)));
    w.setInput({DeviceKind::sound_file, folder.path("room.wav")});
    w.step(SoundcheckStep::silence);
    // Of another microphone, even of the same format, it says nothing: all steps are of one.
    write_wav(folder.path("other.wav"), mono(fan_noise(-50.0, 8.0)));
    w.setInput({DeviceKind::sound_file, folder.path("other.wav")});
    w.press(Qt::Key_Return);
    CHECK_FALSE(w.model().recording());
    CHECK(w.model().current() == SoundcheckStep::silence);
    CHECK(w.told().find("starts again") != std::string::npos);
    w.press(Qt::Key_Return);
    REQUIRE(w.model().recording());
    w.setInput({DeviceKind::sound_file, folder.path("room.wav")});  // in the middle of it
    REQUIRE(
        Window::until([&] { return w.model().state(SoundcheckStep::silence) == Model::StepState::failed; }));
    CHECK(w.text("soundcheck_problem").contains("input"));
    w.step(SoundcheckStep::silence);
    // A step of talk without speech.
    w.press(Qt::Key_Return);
    REQUIRE(Window::until([&] { return w.model().state(SoundcheckStep::talk) == Model::StepState::failed; },
                          60.0));
    CHECK(w.text("soundcheck_problem").contains("No speech"));
    CHECK_FALSE(w.model().complete());
    CHECK_FALSE(w.button("soundcheck_results")->isEnabled());
}

TEST_CASE("soundcheck survives a lost input and a cancelled measurement, and closing restores the room") {
    TemporaryFolder folder;
    Checking w(folder);
    w.setInput({DeviceKind::simulated_room, ""});
    w.begin();
    w.press(Qt::Key_Return);
    REQUIRE(w.model().recording());
    // Another input in the middle of a recording.
    write_wav(folder.path("room.wav"), stereo(fan_noise(-60.0, 8.0), fan_noise(-60.0, 8.0)));
    w.setInput({DeviceKind::sound_file, folder.path("room.wav")});
    REQUIRE(
        Window::until([&] { return w.model().state(SoundcheckStep::silence) == Model::StepState::failed; }));
    CHECK(w.text("soundcheck_problem").contains("input"));
    w.setInput({DeviceKind::simulated_room, ""});
    w.step(SoundcheckStep::silence);
    w.step(SoundcheckStep::talk);
    const std::string before = w.order();
    w.button("soundcheck_finish")->click();
    REQUIRE(w.at(Model::Phase::working));
    CHECK(w.window.focusWidget() == w.button("soundcheck_cancel"));
    w.press(Qt::Key_Return);
    CHECK(w.at(Model::Phase::steps));
    CHECK(w.model().complete());
    CHECK(w.order() == before);
    w.press(Qt::Key_Escape);
    CHECK(w.at(Model::Phase::closed));
    CHECK(w.strip().input().simulatedRoom()->get(kRoomEffort) == 3.0);
}

TEST_CASE("soundcheck of the first start offers the inputs, and only then", "[first]") {
    TemporaryFolder folder;
    {
        Checking w(folder);
        CHECK(w.app.firstStart());
        w.window.openSoundcheck(true);
        REQUIRE(w.window.soundcheck()->isVisible());
        const auto inputs = w.window.soundcheck()->findChildren<ui::FlatButton*>("soundcheck_input");
        REQUIRE(inputs.size() == 1);  // no PipeWire here: the simulated room alone
        inputs.front()->click();
        w.opened();
        REQUIRE(Window::until([&] { return w.button("soundcheck_begin")->isEnabled(); }));
        // All microphones are open while one is chosen, and only then.
        CHECK(w.strip().microphones().listening());
        w.press(Qt::Key_Return);
        CHECK(w.button("soundcheck_record")->isVisible());
        CHECK(Window::until([&] { return !w.strip().microphones().listening(); }));
        w.press(Qt::Key_Escape);
        REQUIRE(w.app.saveState());
    }
    Checking again(folder);
    CHECK_FALSE(again.app.firstStart());
}

TEST_CASE("soundcheck closes when its strip is removed, by hand or by a recall") {
    TemporaryFolder folder;
    Checking w(folder);
    w.setInput({DeviceKind::simulated_room, ""});
    REQUIRE(w.saveAs("One voice"));
    w.app.mixer().add(StripRole::voice);
    w.app.mixer().current().input().select({DeviceKind::simulated_room, ""});
    REQUIRE(Window::until([&] { return w.app.mixer().current().input().status().running; }));
    w.begin();
    REQUIRE(w.model().strip() == &w.app.mixer().current());
    w.press(Qt::Key_Return);
    REQUIRE(w.model().recording());
    const std::string guest = w.app.mixer().current().chainModel().spec().id;
    w.app.mixer().remove(guest);
    CHECK(w.at(Model::Phase::closed));
    CHECK_FALSE(w.window.soundcheck()->isVisible());
    w.app.mixer().restoreRemoved();
    w.app.mixer().focus(guest);
    w.begin();
    w.app.scenes().recall("One voice");
    CHECK(Window::until([&] { return w.at(Model::Phase::closed); }));
}

TEST_CASE("soundcheck refuses app audio and says so") {
    TemporaryFolder folder;
    Checking w(folder);
    w.app.mixer().add(StripRole::programme);
    QTest::keyClick(&w.window, Qt::Key_F3);
    CHECK_FALSE(w.window.soundcheck()->isVisible());
    CHECK(w.told().find("voices") != std::string::npos);
}

TEST_CASE("soundcheck uses the recordings of the last one, and only what changed is recorded again") {
    TemporaryFolder folder;
    Checking w(folder);
    write_wav(folder.path("room.wav"), mono(fan_noise(-50.0, 8.0)));
    w.setInput({DeviceKind::sound_file, folder.path("room.wav")});
    const ui::TakesModel& takes = w.app.takes();
    const auto keep = [&](const char* name, const std::vector<float>& x, double rate) {
        TakeNotes notes;
        notes.name = name;
        const auto kept = takes.store().keep(mono(x), rate, notes);
        REQUIRE(kept.ok());
        return kept.value().path.filename().string();
    };
    auto words = spoken_words(3);
    words.resize(480000);
    SoundcheckRecord record;
    record.date = QDateTime::currentDateTime().addDays(-21).toString(Qt::ISODate).toStdString();
    record.microphone = w.strip().input().title().toStdString();
    record.takes = {{"silence", keep("Silence", fan_noise(-60.0, 5.0), 48000)},
                    {"talk", keep("Talk", mix(words, fan_noise(-60.0, 10.0)), 48000)}};
    w.app.scenes().noteSoundcheck("voice", record);
    REQUIRE(w.saveAs("Checked"));
    CHECK(load_scene(folder.path("scenes/checked.json")).scene->soundchecks.at("voice") == record);

    w.begin();
    CHECK(w.text("soundcheck_earlier") == "Last soundcheck: 3 weeks ago.");
    REQUIRE(w.button("soundcheck_use_earlier")->isVisible());
    w.button("soundcheck_use_earlier")->click();
    REQUIRE(Window::until([&] { return w.model().complete(); }));
    CHECK(w.model().state(SoundcheckStep::loud) == Model::StepState::skipped);
    CHECK_FALSE(w.button("soundcheck_use_earlier")->isVisible());
    CHECK(w.model().noise().value() == Approx(-60.0).margin(4.0));
    // Only the silence is recorded again; then it measures at once.
    w.model().choose(SoundcheckStep::silence);
    w.press(Qt::Key_Return);
    REQUIRE(w.model().recording());
    REQUIRE(Window::until([&] { return w.at(Model::Phase::working); }, 60.0));
    CHECK(w.model().noise().value() == Approx(-50.0).margin(4.0));
    w.model().cancel();
    CHECK(w.at(Model::Phase::steps));
    w.model().analyse();
    REQUIRE(Window::until([&] { return w.at(Model::Phase::results); }, 240.0));
    // Closed at once, its recordings become takes all the same; the talk is the take that it was.
    w.model().apply();
    w.press(Qt::Key_Escape);
    CHECK(w.at(Model::Phase::closed));
    const auto now = [&] { return w.strip().chainModel().scene().soundchecks.at("voice"); };
    REQUIRE(Window::until([&] { return now().takes.size() == 2; }));
    CHECK(now().takes.at("talk") == record.takes.at("talk"));
    CHECK(now().takes.at("silence") != record.takes.at("silence"));
    CHECK(now().noise == Approx(-50.0).margin(1.0));
    CHECK(now().date > record.date);

    // With another microphone nothing is known of it.
    write_wav(folder.path("other.wav"), mono(fan_noise(-50.0, 8.0)));
    w.setInput({DeviceKind::sound_file, folder.path("other.wav")});
    w.begin();
    CHECK(w.text("soundcheck_earlier").isEmpty());
    CHECK_FALSE(w.button("soundcheck_use_earlier")->isVisible());
    w.press(Qt::Key_Escape);
    w.setInput({DeviceKind::sound_file, folder.path("room.wav")});

    // A recording that is gone is to be made again, and a name leads nowhere else.
    record.takes["silence"] = "../room.wav";
    w.app.scenes().noteSoundcheck("voice", record);
    REQUIRE(w.model().repeat(SoundcheckStep::quiet).isEmpty());
    CHECK(w.window.soundcheck()->isVisible());
    REQUIRE(Window::until([&] { return w.model().state(SoundcheckStep::talk) == Model::StepState::done; }));
    CHECK(
        Window::until([&] { return w.model().state(SoundcheckStep::silence) == Model::StepState::waiting; }));
    CHECK(w.told().find("room.wav") != std::string::npos);
    CHECK(w.model().current() == SoundcheckStep::quiet);
    CHECK_FALSE(w.model().complete());
}

TEST_CASE("soundcheck takes a step from a take or a file, and says why it can't") {
    TemporaryFolder folder;
    Checking w(folder);
    TakeNotes notes;
    notes.name = "Empty workshop & rain";
    REQUIRE(w.app.takes().store().keep(mono(fan_noise(-60.0, 6.0)), 48000, notes).ok());
    w.app.takes().refresh();
    REQUIRE(Window::until([&] { return w.app.takes().all().size() == 1; }));
    w.setInput({DeviceKind::simulated_room, ""});
    w.begin();
    QTest::mouseClick(w.button("soundcheck_file"), Qt::LeftButton);
    auto* menu = w.window.findChild<QMenu*>("soundcheck_recordings");
    REQUIRE(menu != nullptr);
    CHECK(menu->actions().front()->text() == "Empty workshop && rain (6 s)");
    menu->actions().front()->trigger();
    menu->close();
    REQUIRE(
        Window::until([&] { return w.model().state(SoundcheckStep::silence) == Model::StepState::done; }));
    CHECK(w.model().current() == SoundcheckStep::talk);
    const auto fails = [&](const std::string& file) {
        w.model().useFile(file);
        REQUIRE(
            Window::until([&] { return w.model().state(SoundcheckStep::talk) == Model::StepState::failed; }));
        return w.text("soundcheck_problem").toStdString();
    };
    CHECK(fails(folder.path("missing.wav")).find("missing.wav") != std::string::npos);
    write_wav(folder.path("room.wav"), mono(fan_noise(-60.0, 8.0)));
    CHECK(fails(folder.path("room.wav")).find("No speech") != std::string::npos);
    auto words = spoken_words(3);
    words.resize(480000);
    write_wav(folder.path("slow.wav"), mono(words), 44100);
    CHECK(fails(folder.path("slow.wav")).find("44.1 kHz") != std::string::npos);
    write_wav(folder.path("words.wav"), mono(mix(words, fan_noise(-60.0, 10.0))));
    w.model().useFile(folder.path("words.wav"));
    REQUIRE(Window::until([&] { return w.model().complete(); }));
}

TEST_CASE("soundcheck is followed up: a louder room is reported, and one press repeats the silence") {
    TemporaryFolder folder;
    Checking w(folder);
    auto words = spoken_words(3);
    words.resize(480000);
    write_wav(folder.path("words.wav"), mono(mix(words, fan_noise(-50.0, 10.0))));
    w.setInput({DeviceKind::sound_file, folder.path("words.wav")});
    REQUIRE(Window::until(
        [&] {
            const auto& in = w.strip().levels().taps[0];
            return in.voice_known && in.room_known;
        },
        60.0));
    SoundcheckRecord record;
    record.date = "2026-11-10T20:15:00";
    record.microphone = w.strip().input().title().toStdString();
    record.noise = -65.0;
    record.speech = speech_level(words, 48000)->active_dbfs;
    w.app.scenes().noteSoundcheck("voice", record);
    auto* verdict = w.find<QLabel>("feed_verdict");
    REQUIRE(Window::until([&] { return verdict->text().startsWith("Noise "); }, 90.0));
    CHECK(verdict->text().endsWith(" dB louder than checked."));
    CHECK(verdict->fontMetrics().horizontalAdvance(verdict->text()) <= verdict->width());
    QTest::mouseClick(w.find<ui::FlatButton>("verdict_button"), Qt::LeftButton);
    CHECK(w.window.soundcheck()->isVisible());
    CHECK(w.model().current() == SoundcheckStep::silence);
    CHECK(w.text("soundcheck_earlier").contains("Background noise is"));
    w.press(Qt::Key_Escape);
    // The microphone itself: one press brings its level back before the chain.
    record.noise = w.strip().levels().taps[0].room + 10.0;
    record.speech += 10.0;
    w.app.scenes().noteSoundcheck("voice", record);
    REQUIRE(Window::until([&] { return verdict->text().startsWith("Mic 1"); }, 90.0));
    CHECK(verdict->text().contains("dB quieter than checked."));
    const ChainSpec before = w.strip().chainModel().chain();
    QTest::mouseClick(w.find<ui::FlatButton>("verdict_button"), Qt::LeftButton);
    const ChainSpec after = w.strip().chainModel().chain();
    REQUIRE(after.stages.front().kind == "gain");
    CHECK(after.stages.front().value("gain") - before.stages.front().value("gain") ==
          Approx(10.0).margin(2.0));
    // That is done with: it is not offered again for the same change.
    const auto noted = [&] { return w.strip().chainModel().scene().soundchecks.at("voice"); };
    CHECK(noted().speech == Approx(record.speech - 10.0).margin(2.0));
    CHECK(noted().takes.empty());
    CHECK_FALSE(w.app.followUp(w.strip()).finding());
    CHECK_FALSE(Window::until([&] { return verdict->text().startsWith("Mic "); }, 28.0));
    w.app.history().undo();
    CHECK(w.strip().chainModel().chain() == before);
    CHECK(noted() == record);
}
