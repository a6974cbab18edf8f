// Many takes and a long one: 500 listed and searched, and half an hour of 192 kHz stereo taken in, drawn,
// looped, reported on and written out, with the longest that the window stood still meanwhile. Times of the
// long one also as parts of its own length.
#include <QApplication>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QListWidget>
#include <QTest>
#include <QTimer>
#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <functional>
#include <random>
#include <string>

#include "actions/actions.h"
#include "main_window.h"
#include "model/app_model.h"
#include "model/takes/takes_model.h"
#include "review/takes_page.h"
#include "stages/registry.h"

namespace {

using namespace reed;

constexpr int kTakes = 500, kPiece = 192000;

/// MB that the program has held at most until now.
double most_memory() {
    std::ifstream status("/proc/self/status");
    for (std::string line; std::getline(status, line);) {
        if (line.starts_with("VmHWM:")) return std::atof(line.c_str() + 6) / 1024.0;
    }
    return 0.0;
}

/// The longest time between two turns of the window's loop, ms.
class Stalls : public QObject {
  public:
    Stalls() {
        clock_.start();
        startTimer(0);
    }
    double longest() {
        const double out = longest_;
        longest_ = 0.0;
        clock_.restart();
        return out;
    }

  protected:
    void timerEvent(QTimerEvent*) override {
        longest_ = std::max(longest_, 1e-6 * static_cast<double>(clock_.nsecsElapsed()));
        clock_.restart();
    }

  private:
    QElapsedTimer clock_;
    double longest_ = 0.0;
};

/// What `work` takes until `done` holds, in ms.
double until(const std::function<void()>& work, const std::function<bool()>& done) {
    QElapsedTimer clock;
    clock.start();
    work();
    if (!QTest::qWaitFor(done, 900'000)) std::exit(1);
    return 1e-6 * static_cast<double>(clock.nsecsElapsed());
}

/// A voice's slow ups and downs in noise: what compresses as sound does.
void fill(AudioBuffer& piece, std::mt19937& random, std::int64_t at) {
    for (size_t i = 0; i < piece.frames(); ++i) {
        const double t = static_cast<double>(at + static_cast<std::int64_t>(i)) / 192000.0;
        const auto level = static_cast<float>(0.002 + 0.1 * std::max(0.0, std::sin(2.0 * t)));
        for (int c = 0; c < piece.channels(); ++c)
            piece[c][i] = level * (static_cast<float>(random() % 2000) / 1000.0f - 1.0f);
    }
}

}  // namespace

int main(int count, char** words) {
    const QApplication program(count, words);
    const std::filesystem::path home = count > 1 ? words[1] : ".";
    const double seconds = count > 2 ? std::atof(words[2]) : kLongestTake;
    ui::AppModel app({home / "scenes", home / "state.json", REED_DEMO_DATA});
    app.start();
    ui::MainWindow window(app);
    window.resize(1280, 800);
    window.show();
    ui::TakesModel& takes = app.takes();

    AudioBuffer piece(1, 48000);
    std::mt19937 random(5);
    for (int i = 0; i < kTakes; ++i) {
        fill(piece, random, i * 48000);
        if (!takes.store()
                 .keep(piece, 48000, {"Take " + std::to_string(i), "Voice", "", "2026-11-01", ""})
                 .ok())
            return 1;
    }
    const auto long_file = home / "long.wav";
    {
        auto file = SoundWriter::create(long_file, {192000, 2}, SampleFormat::pcm24);
        AudioBuffer part(2, kPiece);
        for (double s = 0.0; s < seconds; s += 1.0) {
            fill(part, random, static_cast<std::int64_t>(s * 192000));
            if (!file.ok() || !file.value()->write(part.block(0, kPiece)).ok()) return 1;
        }
        if (!file.value()->finish().ok()) return 1;
    }
    QTest::qWait(3000);

    Stalls stalls;
    QTest::qWait(2000);
    std::printf("nothing going on: the window stands still for %.0f ms at most\n", stalls.longest());
    const auto row = [&](const char* what, double ms) {
        std::printf("%-34s %9.0f ms  %6.3f x its length, window still %4.0f ms, memory %5.0f MB\n", what, ms,
                    ms / (1000.0 * seconds), stalls.longest(), most_memory());
        std::fflush(stdout);
    };
    window.actions().act("takes");
    auto* list = window.takeView()->findChild<QListWidget*>("take_list");
    row("500 takes listed", until([&] { takes.refresh(); }, [&] { return list->count() == kTakes; }));
    auto* find = window.takeView()->findChild<QLineEdit*>("take_find");
    row("one of them found by typing",
        until([&] { find->setText("take 321"); }, [&] { return list->count() == 1; }));
    find->clear();
    row("their outlines",
        until([] {}, [&] { return !takes.outlines().of(takes.all().back().path).empty(); }));
    row("taken in", until([&] { takes.import(QString::fromStdString(long_file)); },
                          [&] { return takes.chosen().notes.name == "long"; }));
    row("its outline", until([] {}, [&] { return !takes.outlines().of(takes.chosen().path).empty(); }));
    row("along time, its first five minutes", until([] {}, [&] { return takes.report() != nullptr; }));
    row("looped", until([&] { takes.setLooping(true); }, [&] { return takes.position() >= 0.0; }));
    takes.setLooping(false);
    const QString out = QString::fromStdString(home / "out.flac");
    const auto written = [&] { return std::filesystem::exists(out.toStdString()); };
    row("written through the chain", until([&] { takes.exportTo(out, true); }, written));
    return 0;
}
