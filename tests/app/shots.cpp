// Pictures of every main view, made from the demo data: hidden, run by tools/shots.
#include <catch2/catch.hpp>
#include <filesystem>

#include "app/window.h"
#include "session/room_learning.h"

using namespace reed;
using namespace reed::test;

namespace {

void shoot(Window& w, const char* name) {
    const QByteArray folder = qgetenv("REED_SHOTS");
    REQUIRE_FALSE(folder.isEmpty());
    QTest::qWait(60);
    REQUIRE(w.window.grab().save(QString::fromLocal8Bit(folder) + "/" + name + ".png"));
}

void settle(double seconds) {
    QTest::qWait(static_cast<int>(1000 * seconds));
}

}  // namespace

TEST_CASE("shots: suppression", "[.shots]") {
    TemporaryFolder folder;
    Window w(folder);
    w.session.focus("suppression");
    const auto row = [](const char* id) { return static_cast<size_t>(kSuppressionStage.find(id)); };
    w.session.setRoom(kRoomEffort, 0);
    w.session.setValue("suppression", row("method"), 2);
    settle(3.0);
    QTest::mouseClick(w.find<ui::FlatButton>("learn_button"), Qt::LeftButton);
    settle(2.0);
    shoot(w, "suppression-learning");
    REQUIRE(Window::until([&] { return !w.session.stage("suppression")->tone.empty(); }, 10.0));
    w.session.setRoom(kRoomEffort, 3);
    settle(9.0);
    shoot(w, "suppression-dusk");
}
