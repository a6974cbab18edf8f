// dusky-reed: the program with its window.
#include <QApplication>
#include <QCommandLineParser>
#include <QTimer>
#include <cstdio>

#include "main_window.h"
#include "remote/control.h"
#include "remote/desktop_keys.h"
#include "remote/tray.h"
#include "session/feed_recorder.h"
#include "session/session.h"
#include "theme/theme.h"

int main(int argc, char** argv) {
    using namespace reed;
    QApplication app(argc, argv);
    QApplication::setApplicationName("dusky-reed");
    QApplication::setApplicationVersion("0.1.0");
    QApplication::setDesktopFileName("dusky-reed");

    QCommandLineParser options;
    options.setApplicationDescription("Builds and tunes the filter chain of a streamer's microphone, live.");
    options.addHelpOption();
    options.addVersionOption();
    const QCommandLineOption seconds("seconds", "End by itself after this many seconds.", "n");
    const QCommandLineOption shot("screenshot", "At the end, write a picture of the window (PNG).", "file");
    const QCommandLineOption record("record", "Write the feed to a sound file (.wav or .flac).", "file");
    const QCommandLineOption theme("theme", "dusk or dawn.", "name");
    const QCommandLineOption focus("focus", "Focus this stage (its id).", "id");
    const QCommandLineOption send(
        "send",
        "Send a command to the running program and end: mute, unmute, toggle-mute, talk on, "
        "talk off, scene NAME, bypass STAGE, enable STAGE, toggle STAGE, monitor SOURCE, raise. "
        "Its further words follow.",
        "command");
    options.addPositionalArgument("words", "Further words of --send.", "[words...]");
    options.addOptions({seconds, shot, record, theme, focus, send});
    options.process(app);
    const QDBusConnection bus = QDBusConnection::sessionBus();
    if (options.isSet(send)) {
        const QString why =
            ui::sendCommand(bus, QStringList(options.value(send)) + options.positionalArguments());
        if (why.isEmpty()) return 0;
        std::fprintf(stderr, "dusky-reed: %s\n", qPrintable(why));
        return 2;
    }
    // A second start shows the first one instead of fighting for the microphone's name.
    if (!options.isSet(seconds) && ui::sendCommand(bus, {"raise"}).isEmpty()) {
        std::fprintf(stderr, "dusky-reed: it is running already, and has been brought to the front.\n");
        return 0;
    }

    ui::loadFonts();
    ui::Session session(ui::SessionPaths::standard());
    ui::MainWindow window(session);
    ui::RemoteControl remote(session);
    QObject::connect(&remote, &ui::RemoteControl::raiseWanted, &window, &ui::MainWindow::comeForward);
    if (!options.isSet(seconds)) (void)remote.publish(bus);
    ui::DesktopKeys keys(session, bus);
    QObject::connect(&window, &ui::MainWindow::desktopKeysWanted, &keys, &ui::DesktopKeys::bind);
    QObject::connect(&keys, &ui::DesktopKeys::failed, &session,
                     [&](const QString& why) { emit session.message(why, true); });
    session.begin();
    ui::Tray tray(session);
    QObject::connect(&tray, &ui::Tray::windowWanted, &window, &ui::MainWindow::comeForward);
    QObject::connect(&tray, &ui::Tray::quitWanted, &window, &QWidget::close);
    if (options.isSet(theme)) session.setThemeName(options.value(theme));
    if (options.isSet(focus)) session.focus(options.value(focus).toStdString());
    if (!session.geometry().isEmpty()) window.restoreGeometry(session.geometry());
    window.show();

    int status = 0;
    const auto check = [&status](const Result<void>& result) {
        if (result.ok()) return;
        std::fprintf(stderr, "dusky-reed: %s\n", result.error().text().c_str());
        status = 1;
    };
    ui::FeedRecorder recorder(session.engine());
    const bool recording = options.isSet(record);
    if (recording) {
        check(recorder.start(options.value(record).toStdString()));
        if (status != 0) return status;
        QObject::connect(&session, &ui::Session::readingsChanged, &window, [&] { check(recorder.pump()); });
    }
    if (options.isSet(seconds)) {
        QTimer::singleShot(static_cast<int>(1000 * options.value(seconds).toDouble()), &app, [&] {
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
    if (recording) check(recorder.finish());
    return status;
}
