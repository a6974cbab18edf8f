// The verdict on the chain as a whole: how far the feed is from its mark, one press towards it, and back.
#include <catch2/catch.hpp>

#include "app/window.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("a feed that is too quiet is told, one press raises the gain, and undo takes it back") {
    TemporaryFolder folder;
    Window w(folder);
    auto* words = w.find<QLabel>("feed_verdict");
    auto* button = w.find<ui::FlatButton>("verdict_button");
    REQUIRE((words != nullptr && button != nullptr));
    const auto row = [](const char* id) { return static_cast<size_t>(find_stage_kind("gain")->find(id)); };
    REQUIRE(w.session.setValue("gain", row("gain"), -18));
    // A change: what went out before is forgotten.
    CHECK(words->text().isEmpty());
    CHECK_FALSE(button->isVisible());
    REQUIRE(Window::until([&] { return words->text().contains("LU too quiet"); }, 30));
    CHECK(button->isVisible());
    CHECK(button->text().startsWith("Gain +"));
    CHECK(words->parentWidget()->rect().contains(button->geometry()));
    CHECK(words->fontMetrics().horizontalAdvance(words->text()) <= words->width());
    QTest::mouseClick(button, Qt::LeftButton);
    CHECK(w.value("gain", "gain") > -12.0);
    CHECK(words->text().isEmpty());  // it listens anew
    w.session.undo();
    CHECK(w.value("gain", "gain") == -18.0);
}
