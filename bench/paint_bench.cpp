// What drawing costs: time per picture of every view, and the share of a core of the whole window.
//
// The real window with the demo workshop, Qt offscreen (software drawing, as on a machine without a GPU). The
// share is the processor time of the window's thread over the time that passed, with everything moving.
#include <QApplication>
#include <QElapsedTimer>
#include <QTest>
#include <QTimer>
#include <cstdio>
#include <ctime>
#include <filesystem>

#include "base/sound_file.h"
#include "diagram/level_diagram.h"
#include "editors/stage_editor.h"
#include "main_window.h"
#include "model/app_model.h"
#include "stages/registry.h"
#include "theme/theme.h"

namespace {

using namespace reed;

double seconds_of(clockid_t clock) {
    timespec t{};
    clock_gettime(clock, &t);
    return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

double thread_seconds() {
    return seconds_of(CLOCK_THREAD_CPUTIME_ID);
}

/// What the whole program takes while its window is as it is now, and how much of it is the sound's own.
void whole(const char* state, ui::AppModel& app) {
    QTest::qWait(2000);
    QElapsedTimer clock;
    clock.start();
    const double all = seconds_of(CLOCK_PROCESS_CPUTIME_ID);
    const double window = thread_seconds();
    QTest::qWait(8000);
    const double passed = 0.001 * static_cast<double>(clock.elapsed());
    std::printf("%-14s whole program %4.1f %% of a core, window's thread %4.1f %%, chain %4.1f %%\n", state,
                100.0 * (seconds_of(CLOCK_PROCESS_CPUTIME_ID) - all) / passed,
                100.0 * (thread_seconds() - window) / passed,
                100.0 * app.mixer().main().engine().figures().load);
    std::fflush(stdout);
}

/// Milliseconds of processor time for one picture of `w` and what is in it.
double per_picture(QWidget* w) {
    QImage image(w->size(), QImage::Format_RGB32);
    constexpr int kTimes = 100;
    w->render(&image);
    const double start = thread_seconds();
    for (int i = 0; i < kTimes; ++i) w->render(&image);
    return 1000.0 * (thread_seconds() - start) / kTimes;
}

/// Counts the pictures that were really drawn.
class Counter final : public QObject {
  public:
    int paints = 0;
    bool eventFilter(QObject*, QEvent* e) override {
        paints += e->type() == QEvent::Paint ? 1 : 0;
        return false;
    }
};

/// The longest pause between two turns of the window's event loop while `done` is waited for, in ms.
template <typename Done>
double longest_pause(Done done) {
    QElapsedTimer since;
    qint64 longest = 0;
    QTimer turns;
    QObject::connect(&turns, &QTimer::timeout,
                     [&] { longest = std::max(longest, since.nsecsElapsed()), since.start(); });
    since.start();
    turns.start(0);
    while (!done()) QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
    return 1e-6 * static_cast<double>(longest);
}

/// How long the window's thread is held while inputs are opened, beside what holds it anyway.
void openings(ui::AppModel& app, const std::filesystem::path& home) {
    const auto path = home / "input.wav";
    auto writer = SoundWriter::create(path, {48000.0, 1}, SampleFormat::pcm24);
    if (!writer.ok()) return;
    AudioBuffer minute(1, 480000);
    for (int i = 0; i < 60; ++i) (void)writer.value()->write(minute.block(0, 480000));
    (void)writer.value()->finish();
    QElapsedTimer clock;
    clock.start();
    std::printf("longest pause of the window's thread, ms: nothing opened %.1f",
                longest_pause([&] { return clock.elapsed() > 2000; }));
    const std::pair<const char*, DeviceChoice> inputs[] = {
        {"ten minutes of sound", {DeviceKind::sound_file, path.string()}}, {"the simulated room", {}}};
    for (const auto& [name, choice] : inputs) {
        double longest = 0.0;
        for (int i = 0; i < 5; ++i) {
            app.mixer().main().input().select(choice);
            longest =
                std::max(longest, longest_pause([&] { return !app.mixer().main().input().isOpening(); }));
        }
        std::printf(", %s %.1f", name, longest);
    }
    std::printf("\n");
}

/// What one stage's editor takes, and the diagram above it.
void editor(const StageSpec& s, ui::AppModel& app, ui::MainWindow& window) {
    app.mixer().main().chainModel().focus(s.id);
    QTest::qWait(1500);
    Counter counter;
    window.diagram()->installEventFilter(&counter);
    QElapsedTimer clock;
    clock.start();
    const double start = thread_seconds();
    QTest::qWait(4000);
    const double passed = 0.001 * static_cast<double>(clock.elapsed());
    const double share = (thread_seconds() - start) / passed;
    const double frames = counter.paints / passed;
    window.diagram()->removeEventFilter(&counter);
    std::printf("%-14s %22.2f %18.2f %14.0f   window's thread %4.1f %% of a core\n", s.kind.c_str(),
                per_picture(window.diagram()), per_picture(window.editor()), frames, 100.0 * share);
    for (const char* part : {"time_view", "transfer_view", "ballistics_view", "eq_curve", "suppression_view",
                             "range_view", "tone_pad", "tone_curve"}) {
        if (auto* w = window.findChild<QWidget*>(part); w != nullptr && w->isVisible())
            std::printf("    %-20s %12.2f ms\n", part, per_picture(w));
    }
    std::fflush(stdout);
}

/// The editors of stages the demo scene has not, one at a time, and of bands that move.
void more_editors(ui::AppModel& app, ui::MainWindow& window) {
    for (const char* kind : {"tone", "multiband", "deesser", "leveller", "reverb", "pitch"}) {
        const StageKind* there = find_stage_kind(kind);
        if (there == nullptr) continue;
        app.mixer().main().chainModel().addStage(*there, 3);
        const StageSpec added = app.mixer().main().chainModel().chain().stages[3];
        editor(added, app, window);
        app.mixer().main().chainModel().removeStage(added.id);
    }
    const StageKind& equalizer = *find_stage_kind("equalizer");
    for (const auto& s : app.mixer().main().chainModel().chain().stages) {
        if (s.kind != "equalizer") continue;
        for (int band = 2; band <= 5; ++band) {
            const std::string name = "band" + std::to_string(band) + "_moves";
            if (const int row = equalizer.find(name); row >= 0)
                app.mixer().main().chainModel().setValue(s.id, static_cast<size_t>(row), 1.0);
        }
        std::printf("four bands move:\n");
        editor(s, app, window);
        break;
    }
}

/// The whole window with three voices and a programme that all sound, each with the chain of the scene.
void several_strips(ui::AppModel& app, ui::MainWindow& window) {
    for (const StripRole role : {StripRole::voice, StripRole::voice, StripRole::programme}) {
        ui::StripModel* strip = app.mixer().add(role);
        if (strip == nullptr) continue;
        strip->input().select({});
    }
    app.mixer().focus(app.mixer().strips().front()->chainModel().spec().id);
    whole("four strips", app);
    window.hide();
    whole("hidden", app);
    window.showNormal();
}

}  // namespace

int main(int argc, char** argv) {
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    const QApplication program(argc, argv);
    ui::loadFonts();
    const std::filesystem::path home = argc > 1 ? argv[1] : "/tmp";
    ui::AppModel app({home / "scenes", home / "state.json", REED_DEMO_DATA});
    ui::MainWindow window(app);
    app.start();
    window.resize(1280, 800);
    window.show();
    QTest::qWait(11000);  // levels over the whole window
    {
        // A move of a threshold with fourteen stages in the chain, eight of them with sixteen bands or so.
        const Scene before = app.mixer().main().chainModel().scene();
        while (app.mixer().main().chainModel().chain().stages.size() < 14)
            app.mixer().main().chainModel().addStage(
                *find_stage_kind(app.mixer().main().chainModel().chain().stages.size() % 2 == 0 ? "equalizer"
                                                                                                : "gate"),
                3);
        QTest::qWait(1500);
        app.mixer().main().chainModel().focus("gate");
        const auto row = static_cast<size_t>(find_stage_kind("gate")->find("open_threshold"));
        double level = -50.0;
        constexpr int kMoves = 200;
        const double start = thread_seconds();
        for (int i = 0; i < kMoves; ++i)
            app.mixer().main().chainModel().setValue("gate", row, level += i % 2 == 0 ? 0.5 : -0.5);
        std::printf("a move of a threshold, 14 stages: %.2f ms of the window's thread\n",
                    1000.0 * (thread_seconds() - start) / kMoves);
        app.scenes().recall(before.name);
        QTest::qWait(3000);
    }
    openings(app, home);
    whole("seen", app);
    window.showMinimized();
    whole("minimised", app);
    window.hide();
    whole("hidden", app);
    window.showNormal();
    QTest::qWait(3000);
    std::printf("%-14s %22s %18s %14s\n", "editor", "diagram, ms a picture", "editor, ms", "frames a s");
    for (const auto& s : app.mixer().main().chainModel().chain().stages) {
        editor(s, app, window);
        if (&s == &app.mixer().main().chainModel().chain().stages.front())
            std::printf("    %-20s %12.2f ms\n", "feed_panel",
                        per_picture(window.findChild<QWidget*>("feed_panel")));
    }
    more_editors(app, window);
    several_strips(app, window);
    return 0;
}
