// The window on the session bus, and another program that sends to it.
#pragma once

#include <QDBusConnection>
#include <atomic>
#include <thread>

#include "app/window.h"
#include "remote/control.h"

namespace reed::test {

/// Sends from another thread with a connection of its own, as another program would, while the window goes
/// on.
inline QString send(const QStringList& words) {
    QString answer = "no answer";
    std::atomic<bool> done{false};
    std::thread other([&] {
        {
            QDBusConnection bus = QDBusConnection::connectToBus(QDBusConnection::SessionBus, "other");
            answer = ui::sendCommand(bus, words);
        }
        QDBusConnection::disconnectFromBus("other");
        done = true;
    });
    (void)Window::until([&] { return done.load(); });
    other.join();
    return answer;
}

struct Remote : Window {
    ui::StateReporter reporter{app};
    ui::RemoteControl control{window.actions(), reporter};
    explicit Remote(TemporaryFolder& f) : Window(f) {
        REQUIRE(control.publish(QDBusConnection::sessionBus()) == ui::RemoteControl::Outcome::registered);
    }
};

}  // namespace reed::test
