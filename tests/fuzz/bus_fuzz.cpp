// Any text another program sends over the bus, word by word, to a session that runs.
#include <QCoreApplication>
#include <QTemporaryDir>
#include <cstdint>
#include <cstdlib>

#include "actions/actions.h"
#include "fuzz/expect.h"
#include "model/app_model.h"
#include "remote/control.h"

namespace {

struct Running {
    int argc = 1;
    char name[5] = "fuzz";
    char* argv[2] = {name, nullptr};
    QTemporaryDir folder;
    bool own = setenv("XDG_RUNTIME_DIR", folder.path().toStdString().c_str(), 1) == 0;
    QCoreApplication program{argc, argv};
    reed::ui::AppModel app{{folder.filePath("scenes").toStdString(),
                            folder.filePath("state.json").toStdString(), REED_DEMO_DATA}};
    reed::ui::Actions actions{app};
    reed::ui::StateReporter reporter{app};
    reed::ui::RemoteControl control{actions, reporter};
    Running() {
        app.start();
        while (app.mixer().main().input().isOpening())
            QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
    }
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    static Running& running = *new Running;  // lives as long as the fuzzer
    if (size < 1) return 0;
    auto& c = running.control;
    const QString text =
        QString::fromUtf8(reinterpret_cast<const char*>(data) + 1, static_cast<qsizetype>(size - 1));
    switch (data[0] % 7) {
        case 0:
            c.RecallScene(text);
            break;
        case 1:
            c.Bypass(text, size % 2 == 0);
            break;
        case 2:
            c.ToggleBypass(text);
            break;
        case 3:
            c.SetMonitor(text);
            break;
        case 4:
            c.Talk(size % 2 == 0);
            break;
        case 5:
            // No action but those that end the program or ask for a window.
            if (!text.startsWith("quit")) c.Do(text.section(' ', 0, 0), text.section(' ', 1));
            break;
        default:
            // No bus: it says so, or why the words are none of its commands.
            expect(!reed::ui::sendCommand(QDBusConnection("none"), text.split(' ')).isEmpty(), "an answer");
    }
    expect(!running.app.mixer().main().chainModel().chain().stages.empty(), "the chain stays");
    return 0;
}
