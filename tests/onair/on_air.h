// The window with its sound from the test's own daemon.
#pragma once

#include "app/window.h"

namespace reed::test {

struct OnAir {
    TemporaryFolder folder;
    ui::Session session;
    ui::MainWindow window;

    OnAir() : session(Window::paths(folder)), window(session) {
        session.begin();
        opened();
        window.resize(1280, 800);
        window.show();
        REQUIRE(QTest::qWaitForWindowExposed(&window, 60'000));
    }
    template <typename T>
    T* find(const char* name) {
        return window.findChild<T*>(name);
    }
    void opened() {
        REQUIRE(Window::until([&] { return !session.devices().opening(); }));
    }
    void setInput(const DeviceChoice& choice) {
        session.devices().setInput(choice);
        opened();
    }
    QString told() { return window.messages()->text(); }
};

}  // namespace reed::test
