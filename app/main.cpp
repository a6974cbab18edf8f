// dusky-reed: the program with its window.
#include <QApplication>
#include <QCommandLineParser>
#include <QTimer>
#include <cstdio>

#include "main_window.h"
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
    options.addOptions({seconds, shot, record, theme, focus});
    options.process(app);

    ui::loadFonts();
    ui::Session session(ui::SessionPaths::standard());
    ui::MainWindow window(session);
    session.begin();
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
