// Extra buttons of a mouse as shortcuts.
#include <QLineEdit>

#include "actions/actions.h"
#include "actions/shortcuts_dialog.h"
#include "app/window.h"
#include "model/shared/microphone_mute.h"
#include "model/shared/shortcut_text.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("extra mouse buttons are written and read as shortcuts") {
    CHECK(ui::mouseKey(Qt::LeftButton) == Qt::Key_unknown);
    CHECK(ui::mouseKey(Qt::RightButton) == Qt::Key_unknown);
    CHECK(ui::mouseKey(Qt::MiddleButton) == Qt::Key_unknown);
    CHECK(ui::mouseButtonOf(ui::mouseKey(Qt::BackButton)) == 4);
    CHECK(ui::mouseButtonOf(ui::mouseKey(Qt::ForwardButton)) == 5);
    CHECK(ui::mouseButtonOf(ui::mouseKey(Qt::ExtraButton5)) == 8);
    CHECK(ui::mouseButtonOf(Qt::Key_A) == 0);
    for (const auto& [key, text] :
         {std::pair(QKeySequence(QKeyCombination(ui::mouseKey(Qt::BackButton))), "Mouse 4"),
          std::pair(QKeySequence(QKeyCombination(Qt::ControlModifier | Qt::ShiftModifier,
                                                 ui::mouseKey(Qt::ForwardButton))),
                    "Ctrl+Shift+Mouse 5"),
          std::pair(QKeySequence("Ctrl+M"), "Ctrl+M"), std::pair(QKeySequence(), "")}) {
        CHECK(ui::shortcutText(key, QKeySequence::PortableText) == text);
        CHECK(ui::shortcutFromText(text) == key);
        CHECK(ui::Keys::problem(key) == "");
    }
    for (const char* bad : {"Mouse 1", "Mouse 3", "Mouse 99", "Blorb+Mouse 4", "Mouse", "Mouse 4 5"}) {
        INFO(bad);
        const QKeySequence key = ui::shortcutFromText(bad);
        CHECK((key.isEmpty() || !ui::Keys::problem(key).isEmpty()));
    }
}

TEST_CASE("an extra mouse button is assigned in the list, and works in the window", "[app]") {
    TemporaryFolder folder;
    {
        Window w(folder);
        QTest::keyClick(&w.window, Qt::Key_F1);
        auto* list = w.window.findChild<ui::ShortcutsDialog*>();
        REQUIRE(list != nullptr);
        const auto key = [&](const char* id) {
            return w.window.findChild<ui::FlatButton*>(QString("key ") + id);
        };
        QTest::mouseClick(key("toggle-mute"), Qt::LeftButton);
        QTest::mouseClick(key("toggle-mute"), Qt::BackButton);
        CHECK(key("toggle-mute")->text() == "Mouse 4");
        CHECK_FALSE(w.app.mute().on());
        // Also over another field, with a modifier; and it is moved as any other.
        QTest::mouseClick(key("talk"), Qt::LeftButton);
        QTest::mouseClick(list->findChild<QLineEdit*>(), Qt::ForwardButton, Qt::AltModifier);
        CHECK(key("talk")->text() == "Alt+Mouse 5");
        // In the list it is a button like the others.
        QTest::mouseClick(list, Qt::BackButton);
        CHECK_FALSE(w.app.mute().on());
        list->close();
        CHECK(w.app.saveState());
    }
    Window w(folder);
    w.app.preferences().setTalkKey(ui::Preferences::TalkKey::toggles);
    REQUIRE_FALSE(w.app.mute().on());
    QTest::mouseClick(w.window.diagram(), Qt::BackButton);
    CHECK(w.app.mute().on());
    // Twice quickly, by the way of a real mouse: a double click is two presses.
    int changes = 0;
    QObject::connect(&w.app.mute(), &ui::MicrophoneMute::changed, [&] { ++changes; });
    const QPoint at = w.window.diagram()->mapTo(&w.window, QPoint(40, 40));
    for (int i = 0; i < 2; ++i) QTest::mouseClick(w.window.windowHandle(), Qt::BackButton, {}, at);
    CHECK(changes == 2);
    w.app.mute().set(true);
    QTest::mouseClick(w.window.diagram(), Qt::ForwardButton);  // without Alt it is another one
    CHECK(w.app.mute().on());
    w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    QTest::mousePress(w.window.diagram(), Qt::ForwardButton, Qt::AltModifier);
    CHECK_FALSE(w.app.mute().on());
    QTest::mouseRelease(w.window.diagram(), Qt::ForwardButton);  // Alt was released before
    CHECK(w.app.mute().on());
}
