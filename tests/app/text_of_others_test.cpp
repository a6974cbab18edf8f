// Names and notes that others wrote are shown as they are written, whatever is in them.
#include <QHelpEvent>
#include <QToolTip>
#include <catch2/catch.hpp>

#include "app/window.h"
#include "model/scenes/scene_manager.h"
#include "widgets/plain_text.h"

using namespace reed;
using namespace reed::test;

namespace {

/// The tool tip of a widget as it is on the screen, with tags and entities taken out as Qt does.
QString hint_of(QWidget* widget) {
    const QPoint at = widget->rect().center();
    QHelpEvent event(QEvent::ToolTip, at, widget->mapToGlobal(at));
    QApplication::sendEvent(widget, &event);
    return QToolTip::text();
}

}  // namespace

TEST_CASE("a note with an image of a device file is shown as text and reads nothing") {
    TemporaryFolder folder;
    Window w(folder);
    Scene scene = w.app.mixer().scene();
    scene.name = "<h1>Bench</h1>";
    scene.note = "<img src=\"/dev/zero\"> <b>not bold</b>";
    REQUIRE(SceneLibrary(folder.path("scenes")).save(scene).ok());
    REQUIRE(Window::until([&] { return w.app.scenes().find(scene.name) != nullptr; }));
    auto* button = w.find<ui::FlatButton>("scene_<h1>Bench</h1>");
    REQUIRE(button != nullptr);
    // Without escaping the next line reads /dev/zero until the memory is full.
    const QString hint = hint_of(button);
    CHECK_FALSE(hint.contains("<img"));
    CHECK(hint.contains("&lt;img src="));
    QToolTip::hideText();
    // A question with that name in it keeps its size, and shows the tags.
    w.app.scenes().recall("Bench talk");
    QString shown;
    int width = 0;
    const int asked = answering(
        w.window, "replace_question", "Cancel",
        [&] {
            QTest::keyClick(&w.window, Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier);
            auto* name = w.find<QLineEdit>("scene_name");
            REQUIRE(name != nullptr);
            name->selectAll();
            QTest::keyClicks(name, "<h1>Bench</h1>");
            QTimer::singleShot(0, &w.window, [&] {
                if (auto* ask = w.window.findChild<QMessageBox*>("replace_question")) width = ask->width();
            });
            QTest::keyClick(name, Qt::Key_Return);
        },
        &shown);
    CHECK(asked == 1);
    CHECK(shown.contains("&lt;h1&gt;Bench&lt;/h1&gt;"));
    CHECK(width < 900);
}

TEST_CASE("text of others is cut to its limit, and only what looks like HTML is escaped") {
    CHECK(ui::plainText("Rain & wind, 3 < 4") == "Rain & wind, 3 < 4");
    CHECK(ui::plainText(QString(2000, 'x')).size() < 700);
    CHECK(ui::plainText("<b>a</b>\nb") == "<qt>&lt;b&gt;a&lt;/b&gt;<br>b</qt>");
    CHECK_FALSE(Qt::mightBeRichText("Rain & wind, 3 < 4"));
}
