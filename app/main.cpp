// dusky-reed: the program with its window.
#include <QApplication>
#include <QCommandLineParser>
#include <QTimer>
#include <algorithm>
#include <chrono>
#include <cstdio>

#include "main_window.h"
#include "model/app_model.h"
#include "model/shared/memory.h"
#include "model/takes/feed_recorder.h"
#include "remote/control.h"
#include "remote/global_shortcuts.h"
#include "remote/midi_remote.h"
#include "remote/osc_remote.h"
#include "remote/state_reporter.h"
#include "remote/termination_signals.h"
#include "remote/tray.h"
#include "theme/theme.h"

namespace {

int refuse(const QString& why) {
    std::fprintf(stderr, "dusky-reed: %s\n", qPrintable(why));
    return 2;
}

}  // namespace

int main(int argc, char** argv) {
    using namespace reed;
    ui::returnLargeBlocks();
    QCoreApplication::setApplicationName("dusky-reed");
    QCoreApplication::setApplicationVersion(REED_VERSION);
    QGuiApplication::setDesktopFileName("dusky-reed");

    QCommandLineParser options;
    options.setApplicationDescription("Builds and tunes the filter chain of a streamer's microphone, live.");
    const QCommandLineOption help = options.addHelpOption();
    const QCommandLineOption version = options.addVersionOption();
    const QCommandLineOption seconds("seconds", "Quit after this many seconds.", "n");
    const QCommandLineOption shot("screenshot", "Save a screenshot of the window (PNG) on exit.", "file");
    const QCommandLineOption record("record", "Record the output to an audio file (.wav or .flac).", "file");
    const QCommandLineOption theme("theme", "dusk or dawn.", "name");
    const QCommandLineOption focus("focus", "Focus this stage (its id).", "id");
    const QCommandLineOption send("send",
                                  "Send an action to the running instance, e.g. mute, scene NAME, bypass "
                                  "STAGE. --actions lists them.",
                                  "command");
    const QCommandLineOption actions("actions", "List all actions with what they do.");
    options.addPositionalArgument("words", "Arguments of --send.", "[words...]");
    options.addOptions({seconds, shot, record, theme, focus, send, actions});

    // What shows no window needs no display.
    QStringList words;
    for (int i = 0; i < argc; ++i) words << QString::fromLocal8Bit(argv[i]);
    (void)options.parse(words);
    const auto at = std::ranges::find_if(
        words, [](const QString& w) { return w == "--send" || w.startsWith("--send="); });
    if (at != words.end() || options.isSet(help) || options.isSet(version) || options.isSet(actions)) {
        const QCoreApplication app(argc, argv);
        if (at == words.end() && options.isSet(actions)) {
            for (const QString& line : ui::actionLines()) std::printf("%s\n", qPrintable(line));
            return 0;
        }
        if (at == words.end()) options.process(app);  // shows help or version, and ends
        // All that follows belongs to the command: "set gain gain -14.4" has no option in it.
        QStringList command = words.mid(at - words.begin());
        command.first() = command.first().mid(QString("--send=").size());
        command.removeAll(QString());
        const QString why = ui::sendCommand(QDBusConnection::sessionBus(), command);
        return why.isEmpty() ? 0 : refuse(why);
    }

    QApplication app(argc, argv);  // takes Qt's own options out
    if (!options.parse(QApplication::arguments())) return refuse(options.errorText());
    if (!options.positionalArguments().isEmpty())
        return refuse(
            QObject::tr("unknown option “%1”; see --help").arg(options.positionalArguments().join(' ')));
    bool is_number = true;
    const double run_for = options.isSet(seconds) ? options.value(seconds).toDouble(&is_number) : 0.0;
    if (options.isSet(seconds) && !(is_number && run_for > 0.0 && run_for <= 1e6))
        return refuse(QObject::tr("--seconds %1: it must be a number above 0, at most 1000000.")
                          .arg(options.value(seconds)));
    if (options.isSet(theme) && options.value(theme) != "dusk" && options.value(theme) != "dawn")
        return refuse(QObject::tr("unknown theme “%1”; use dusk or dawn").arg(options.value(theme)));
    const QDBusConnection bus = QDBusConnection::sessionBus();
    // A second start shows the first one instead of fighting for the microphone's name.
    if (!options.isSet(seconds) && ui::sendCommand(bus, {"raise"}).isEmpty()) {
        std::fprintf(stderr, "dusky-reed: already running; its window was brought to the front.\n");
        return 0;
    }

    ui::loadFonts();
    ui::AppModel app_model(ui::AppPaths::standard());
    ui::MainWindow window(app_model);
    ui::StateReporter reporter(app_model);
    ui::RemoteControl remote(window.actions(), reporter);
    if (!options.isSet(seconds)) (void)remote.publish(bus);
    ui::GlobalShortcuts keys(window.actions(), bus, ui::GlobalShortcuts::displayOfSession());
    QObject::connect(&window, &ui::MainWindow::desktopKeysWanted, &keys, &ui::GlobalShortcuts::setUp);
    QObject::connect(&keys, &ui::GlobalShortcuts::failed, &app_model,
                     [&](const QString& why) { app_model.mixer().main().notices().warn(why); });
    app_model.start();
    ui::MidiRemote midi(window.actions());
    ui::OscRemote osc(window.actions(), reporter);
    if (!options.isSet(seconds)) {
        keys.start();
        midi.start();
        osc.start();
    }
    const ui::Tray tray(window.actions());
    const ui::TerminationSignals end;
    QObject::connect(&end, &ui::TerminationSignals::asked, &window, [&] {
        window.closeWithoutPrompt();
        QApplication::quit();
    });
    if (options.isSet(theme)) app_model.preferences().setTheme(options.value(theme));
    if (options.isSet(focus)) app_model.mixer().main().chainModel().focus(options.value(focus).toStdString());
    if (!app_model.preferences().geometry().isEmpty())
        window.restoreGeometry(app_model.preferences().geometry());
    window.show();
    // Whoever is new is led to a good sound first.
    if (app_model.firstStart() && !options.isSet(seconds)) window.openSoundcheck(true);

    int status = 0;
    const auto check = [&status](const Result<void>& result) {
        if (result.ok()) return;
        std::fprintf(stderr, "dusky-reed: %s\n", result.error().text().c_str());
        status = 1;
    };
    ui::FeedRecorder recorder(app_model.context().live);
    if (options.isSet(record)) {
        // From the first sound on: its format is known when the input is open.
        QObject::connect(
            &app_model.mixer().main().input(), &ui::InputController::opened, &window,
            [&] {
                const auto started = recorder.start(options.value(record).toStdString());
                if (started.ok()) return;
                status = refuse(QString::fromStdString(started.error().text()));
                window.closeWithoutPrompt();
                QApplication::quit();
            },
            Qt::SingleShotConnection);
        QObject::connect(&app_model.mixer(), &ui::MixerModel::ticked, &window,
                         [&] { check(recorder.pump()); });
    }
    if (options.isSet(seconds)) {
        QTimer::singleShot(std::chrono::milliseconds(static_cast<std::int64_t>(1000.0 * run_for)), &app, [&] {
            if (options.isSet(shot) && !window.grab().save(options.value(shot))) {
                std::fprintf(stderr, "dusky-reed: %s: the picture can't be written.\n",
                             qPrintable(options.value(shot)));
                status = 1;
            }
            window.close();
            QApplication::quit();
        });
    }
    QApplication::exec();
    check(recorder.finish());
    return status;
}
