// What differs from the saved scene: told in words, taken back one by one or all, kept, or saved as a new
// scene.
#include "deck/changes_popover.h"

#include <QLineEdit>

#include "actions/actions.h"
#include "app/window.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("changes since the scene was saved are told, and taken back one by one or all", "[app]") {
    TemporaryFolder folder;
    Window w(folder);
    auto* button = w.find<ui::FlatButton>("changes_button");
    CHECK_FALSE(button->isVisible());
    const double open = w.value("gate", "open_threshold");
    REQUIRE(w.window.actions().run("set", "gate open_threshold -44").isEmpty());
    CHECK(button->text() == "1 change");
    w.strip().chainModel().setBypass("compressor", true);
    CHECK(button->text() == "2 changes");
    const auto texts = [&] {
        QStringList out;
        for (const auto* l : w.window.findChild<ui::ChangesPopover*>()->findChildren<QLabel*>()) {
            if (l->isVisible()) out << l->text();
        }
        return out;
    };
    QTest::mouseClick(button, Qt::LeftButton);
    REQUIRE(w.window.findChild<ui::ChangesPopover*>() != nullptr);
    CHECK(texts().contains("Unsaved changes to “Bench talk”"));
    CHECK(texts().contains("Opens at -44.0 dBFS"));
    CHECK(texts().contains(QString("was %1 dBFS").arg(open, 0, 'f', 1)));
    CHECK(texts().contains("bypassed"));
    // One by one.
    auto* popup = w.window.findChild<ui::ChangesPopover*>();
    QTest::mouseClick(popup->findChild<ui::FlatButton*>("back_0"), Qt::LeftButton);
    CHECK(w.value("gate", "open_threshold") == open);
    CHECK(button->text() == "1 change");
    CHECK_FALSE(texts().contains("Opens at -44.0 dBFS"));
    CHECK(w.strip().chainModel().stage("compressor")->bypass);
    // All: the scene as it was saved; one step of undo brings the changes again.
    QTest::mouseClick(popup->findChild<ui::FlatButton*>("changes_back"), Qt::LeftButton);
    CHECK_FALSE(w.strip().chainModel().stage("compressor")->bypass);
    CHECK_FALSE(button->isVisible());
    w.app.history().undo();
    CHECK(w.strip().chainModel().stage("compressor")->bypass);
    CHECK(button->isVisible());
    REQUIRE(Window::until([&] { return w.window.findChild<ui::ChangesPopover*>() == nullptr; }));
    // Kept.
    QTest::mouseClick(button, Qt::LeftButton);
    QTest::mouseClick(w.window.findChild<ui::FlatButton*>("changes_keep"), Qt::LeftButton);
    CHECK_FALSE(w.app.scenes().changed());
    CHECK_FALSE(button->isVisible());
    // By key. (The offscreen platform gives a popup the keyboard and does not give it back by itself.)
    w.window.activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(&w.window));
    w.strip().chainModel().setBypass("gate", true);
    QTest::keyClick(w.window.diagram(), Qt::Key_R, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK_FALSE(w.strip().chainModel().stage("gate")->bypass);
}

TEST_CASE("changes go into a new scene, and many are summed up", "[app]") {
    TemporaryFolder folder;
    Window w(folder);
    const auto order = w.order();
    for (int i = 0; i < 16; ++i) {
        w.strip().chainModel().addStage(*find_stage_kind("gain"),
                                        w.strip().chainModel().chain().stages.size());
    }
    auto* button = w.find<ui::FlatButton>("changes_button");
    CHECK(button->text() == "16 changes");
    QTest::mouseClick(button, Qt::LeftButton);
    auto* popup = w.window.findChild<ui::ChangesPopover*>();
    REQUIRE(popup != nullptr);
    bool summed = false;
    for (const auto* l : popup->findChildren<QLabel*>()) summed = summed || l->text() == "and 5 more";
    CHECK(summed);
    QTest::mouseClick(popup->findChild<ui::FlatButton*>("changes_new"), Qt::LeftButton);
    auto* name = w.find<QLineEdit>("scene_name");
    REQUIRE(name->isVisible());
    QTest::keyClicks(name, "Many gains");
    QTest::keyClick(name, Qt::Key_Return);
    CHECK(w.strip().chainModel().scene().name == "Many gains");
    CHECK_FALSE(button->isVisible());
    w.app.scenes().recall("Bench talk");
    CHECK(w.order() == order);
}
