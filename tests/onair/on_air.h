// The window with its sound from the test's own daemon.
#pragma once

#include "app/window.h"
#include "live/daemon.h"

namespace reed::test {

struct OnAir {
    TemporaryFolder folder;
    ui::AppModel app;
    ui::MainWindow window;

    OnAir() : app(Window::paths(folder)), window(app) {
        app.start();
        opened();
        window.resize(1280, 800);
        window.show();
        REQUIRE(QTest::qWaitForWindowExposed(&window, 60'000));
    }
    ui::StripModel& strip() const { return app.mixer().main(); }
    template <typename T>
    T* find(const char* name) {
        return window.findChild<T*>(name);
    }
    void opened() {
        REQUIRE(Window::until([&] { return !strip().input().isOpening(); }));
    }
    void setInput(const DeviceChoice& choice) {
        strip().input().select(choice);
        opened();
    }
    QString told() { return window.messages()->text(); }
};

/// A daemon with headphones and a microphone.
struct Plugged {
    Daemon daemon;
    Plugged() {
        daemon.add_sink("phones", "Headphones");
        daemon.add_source("desk_mic", "Desk microphone");
    }
};

/// The window, with that microphone as its input.
struct AtTheDesk : Plugged, OnAir {
    AtTheDesk() { setInput({DeviceKind::pipewire, "desk_mic"}); }
};

}  // namespace reed::test
