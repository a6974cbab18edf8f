// The window "About": version, licences, and the details that are copied for a report.
#include "deck/about_dialog.h"

#include <QClipboard>
#include <QDir>
#include <QScrollArea>
#include <QScrollBar>
#include <QSysInfo>

#include "app/window.h"
#include "widgets/flat_button.h"
#include "widgets/words.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("About names version and licence of everything that is built in or linked", "[app]") {
    TemporaryFolder folder;
    Window w(folder);
    w.find<ui::FlatButton>("main_menu")->click();
    auto* menu = w.window.findChild<QMenu*>("main_popup");
    REQUIRE(menu != nullptr);
    auto* entry = menu->findChild<QAction*>("about");
    REQUIRE(entry != nullptr);
    entry->trigger();
    menu->close();
    auto* about = w.window.findChild<ui::AboutDialog*>();
    REQUIRE(about != nullptr);
    CHECK(about->isVisible());
    REQUIRE(ui::components().size() > 15);
    QStringList shown;
    for (const QLabel* label : about->findChildren<QLabel*>()) shown << label->text();
    const std::string all = shown.join('\n').toStdString();
    for (const char* part : {"RNNoise: BSD-3-Clause and MIT", "Lato: OFL-1.1", "Qt 6: LGPL-3.0",
                             "Niels Lohmann", "GNU General Public License"})
        CHECK_THAT(all, Catch::Contains(part));
    for (const ui::Component& c : ui::components()) {
        INFO(c.name.toStdString());
        CHECK_FALSE(c.licence.isEmpty());
        CHECK_FALSE(c.copyright.isEmpty());
        CHECK_THAT(all, Catch::Contains(c.name.toStdString()));
    }
    // No text is wider than the list, and all of it can be reached by keys.
    auto* list = about->findChild<QScrollArea*>("about_components");
    REQUIRE(list != nullptr);
    CHECK(list->widget()->width() <= list->viewport()->width());
    CHECK(list->verticalScrollBar()->maximum() > 0);
    // Opened again, it is the same one.
    ui::AboutDialog::open(w.app, &w.window);
    CHECK(w.window.findChildren<ui::AboutDialog*>().size() == 1);
    about->findChild<ui::FlatButton*>("about_close")->click();
    CHECK_FALSE(about->isVisible());
}

TEST_CASE("details for a report hold what helps and no names and paths", "[app]") {
    TemporaryFolder folder;
    Window w(folder);
    const QString secret = "Anna's secret";
    REQUIRE(w.saveAs(secret));
    ui::AboutDialog::open(w.app, &w.window);
    auto* about = w.window.findChild<ui::AboutDialog*>();
    REQUIRE(about != nullptr);
    auto* state = about->findChild<ui::Words*>("about_copied");
    const QString before = state->text();
    QGuiApplication::clipboard()->clear();
    about->findChild<ui::FlatButton*>("about_copy")->click();
    const QString copied = QGuiApplication::clipboard()->text();
    CHECK(state->text() != before);
    for (const QString& part :
         {QString("Qt %1").arg(qVersion()), QString("kernel %1").arg(QSysInfo::kernelVersion()),
          QString("48000 Hz"), QString("Strip 1: ")}) {
        INFO(copied.toStdString());
        CHECK(copied.contains(part));
    }
    for (const StageSpec& s : w.app.mixer().main().chainModel().chain().stages)
        CHECK(copied.contains(QString::fromStdString(s.kind)));
    for (const QString& part : {secret, QDir::homePath(), QDir::tempPath(), QSysInfo::machineHostName(),
                                QString::fromStdString(folder.folder())}) {
        INFO(part.toStdString() << " in " << copied.toStdString());
        if (part.size() > 1) CHECK_FALSE(copied.contains(part));
    }
}
