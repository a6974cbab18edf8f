// The program as a process of its own.
#pragma once

#include <QDBusConnectionInterface>
#include <QDBusInterface>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>
#include <catch2/catch.hpp>
#include <filesystem>

#include "remote/control.h"

namespace reed::test {

/// A home of its own for the programs started in it.
struct Home {
    QTemporaryDir folder;
    QString runtime;  ///< with the sockets of a daemon; empty: none is there

    QProcessEnvironment environment(bool display) const {
        QProcessEnvironment e = QProcessEnvironment::systemEnvironment();
        e.insert("HOME", folder.path());
        e.insert("XDG_RUNTIME_DIR", runtime.isEmpty() ? folder.path() : runtime);
        for (const char* name :
             {"XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME", "DISPLAY", "WAYLAND_DISPLAY"})
            e.remove(name);
        e.insert("QT_QPA_PLATFORM", display ? "offscreen" : "xcb");
        return e;
    }
    std::filesystem::path state() const {
        return folder.filePath(".local/state/dusky-reed/session.json").toStdString();
    }
};

struct Ended {
    int status = -1;
    std::string out, err;
};

inline Ended run(const Home& home, const QStringList& words, bool display = true) {
    QProcess p;
    p.setProcessEnvironment(home.environment(display));
    p.start(REED_PROGRAM, words);
    REQUIRE(p.waitForFinished(60'000));
    const bool by_itself = p.exitStatus() == QProcess::NormalExit;
    return {by_itself ? p.exitCode() : 128, p.readAllStandardOutput().toStdString(),
            p.readAllStandardError().toStdString()};
}

/// A program that runs until it is ended.
struct Running {
    QProcess p;
    Running(const Home& home, const QStringList& words) {
        p.setProcessEnvironment(home.environment(true));
        p.start(REED_PROGRAM, words);
        REQUIRE(p.waitForStarted(60'000));
        const auto* bus = QDBusConnection::sessionBus().interface();
        REQUIRE(QTest::qWaitFor([&] { return bus->isServiceRegistered(ui::kServiceName).value(); }, 60'000));
    }
    ~Running() {
        p.kill();
        p.waitForFinished();
        // So that the next one finds the name free.
        const auto* bus = QDBusConnection::sessionBus().interface();
        (void)QTest::qWaitFor([&] { return !bus->isServiceRegistered(ui::kServiceName).value(); }, 60'000);
    }
    bool muted() const {
        QDBusInterface control(ui::kServiceName, ui::kServicePath, ui::kControlInterface);
        return control.property("Muted").toBool();
    }
};

}  // namespace reed::test
