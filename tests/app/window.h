// The real window on a private folder, driven as a person would.
#pragma once

#include <QApplication>
#include <QLabel>
#include <QMenu>
#include <QMessageBox>
#include <QTest>
#include <QTimer>
#include <catch2/catch.hpp>
#include <functional>

#include "diagram/level_diagram.h"
#include "diagram/stage_node.h"
#include "diagram/threshold_handle.h"
#include "editors/eq_curve.h"
#include "editors/stage_editor.h"
#include "main_window.h"
#include "model/app_model.h"
#include "model/strips/monitor_controller.h"
#include "stages/equalizer.h"
#include "stages/registry.h"
#include "stages/suppression.h"
#include "support/signals.h"
#include "widgets/flat_button.h"
#include "widgets/message_bar.h"
#include "widgets/value_field.h"

namespace reed::test {

struct Window {
    TemporaryFolder& folder;
    ui::AppModel app;
    ui::MainWindow window;

    static ui::AppPaths paths(const TemporaryFolder& f) {
        return {f.path("scenes"), f.path("state/session.json"), REED_DEMO_DATA};
    }
    explicit Window(TemporaryFolder& f) : folder(f), app(paths(f)), window(app) {
        // No PipeWire here, whatever runs on the machine.
        qputenv("XDG_RUNTIME_DIR", QByteArray::fromStdString(f.folder()));
        qputenv("PIPEWIRE_RUNTIME_DIR", QByteArray::fromStdString(f.folder()));
        app.start();
        opened();
        window.resize(1280, 800);
        window.show();
        QTest::qWait(60);
    }
    /// The strip that is always there.
    ui::StripModel& strip() const { return app.mixer().main(); }
    template <typename T>
    T* find(const QString& name) {
        return window.findChild<T*>(name);
    }
    ui::StageNode* node(const char* id) { return window.diagram()->node(id); }
    ui::ThresholdHandle* handle(const char* id, const char* parameter) {
        const int row = strip().chainModel().stage(id)->stage_kind().find(parameter);
        return find<ui::ThresholdHandle>(QString("threshold_%1_%2").arg(id).arg(row));
    }
    ui::ValueField* field(const char* id) { return window.editor()->field(id); }
    /// These wait for the disk; false when it could not be done.
    bool save() { return app.scenes().save() && app.scenes().finish(); }
    bool saveAs(const QString& name) { return app.scenes().saveAs(name) && app.scenes().finish(); }
    bool renameScene(const QString& name) { return app.scenes().rename(name) && app.scenes().finish(); }
    double value(const char* id, const char* parameter) {
        return strip().chainModel().stage(id)->value(parameter);
    }
    std::string order() {
        std::string out;
        for (const auto& s : strip().chainModel().chain().stages) out += (out.empty() ? "" : " ") + s.id;
        return out;
    }
    /// Waits up to `seconds` until `done` holds: long, for machines that are busy with other things.
    static bool until(const std::function<bool()>& done, double seconds = 30.0) {
        return QTest::qWaitFor(done, static_cast<int>(1000 * seconds));
    }
    /// Press, move in steps, release.
    static void drag(QWidget* w, QPoint from, QPoint by, Qt::KeyboardModifiers keys = Qt::NoModifier) {
        QTest::mousePress(w, Qt::LeftButton, keys, from);
        const QPoint start = w->mapToGlobal(from);
        for (int i = 1; i <= 10; ++i) {
            const QPoint global = start + by * i / 10;
            const QPoint local = w->mapFromGlobal(global);
            QMouseEvent move(QEvent::MouseMove, local, global, Qt::NoButton, Qt::LeftButton, keys);
            QApplication::sendEvent(w, &move);
        }
        QTest::mouseRelease(w, Qt::LeftButton, keys, w->mapFromGlobal(start + by));
    }
    static void wheel(QWidget* w, QPoint at, int notches, Qt::KeyboardModifiers keys = Qt::NoModifier) {
        QWheelEvent e(at, w->mapToGlobal(at), {}, {0, 120 * notches}, Qt::NoButton, keys, Qt::NoScrollPhase,
                      false);
        QApplication::sendEvent(w, &e);
    }
    /// Chooses an entry of an open menu by the beginning of its text.
    bool choose(const QString& menu_name, const QString& text) {
        auto* menu = window.findChild<QMenu*>(menu_name);
        if (menu == nullptr) return false;
        for (QAction* a : menu->actions()) {
            if (!a->text().startsWith(text)) continue;
            a->trigger();
            menu->close();
            return true;
        }
        return false;
    }
    /// Waits until the input that was asked for is there, or refused.
    void opened() {
        REQUIRE(until([&] { return !strip().input().isOpening(); }));
    }
    void setInput(const DeviceChoice& choice) {
        strip().input().select(choice);
        opened();
    }
    std::string told() { return window.messages()->text().toStdString(); }
    /// Waits until so many seconds of sound have come in since the input was opened.
    bool heard(double seconds) {
        return until([&] {
            return static_cast<double>(strip().engine().input_history()->written()) >
                   seconds * strip().engine().format().sample_rate;
        });
    }
    /// Level of the newest `seconds` of the feed in dB.
    double feed_level(double seconds) {
        const auto n = static_cast<int>(seconds * 48000);
        std::vector<float> x(static_cast<size_t>(n));
        float* rows[2] = {x.data(), nullptr};
        const auto feed = strip().engine().feed_history();
        if (!feed->read(feed->written() - n, n, rows)) return -200.0;
        return db(rms(x));
    }
};

/// What the window says.
inline std::string message(Window& w) {
    return w.window.messages()->text().toStdString();
}

/// Does `work` while a question of this name is answered by the button `answer`; how often it was asked.
/// `shown` gets its words.
inline int answering(QWidget& window, const char* question, const QString& answer,
                     const std::function<void()>& work, QString* shown = nullptr) {
    int asked = 0;
    QTimer look;
    QObject::connect(&look, &QTimer::timeout, [&] {
        auto* ask = window.findChild<QMessageBox*>(question);
        if (ask == nullptr || !ask->isVisible()) return;
        ++asked;
        if (shown != nullptr) *shown = ask->text() + ask->informativeText();
        for (QAbstractButton* b : ask->buttons()) {
            if (b->text() == answer) b->click();
        }
    });
    look.start(20);
    work();
    return asked;
}

}  // namespace reed::test
