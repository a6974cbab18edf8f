// Backups in the window: one computer's setup on another.
#include <filesystem>

#include "app/window.h"
#include "base/file.h"
#include "deck/backup_dialog.h"
#include "model/scenes/backup_model.h"
#include "model/strips/characters.h"
#include "widgets/words.h"

using namespace reed;
using namespace reed::test;

namespace {

struct WithBackup : Window {
    explicit WithBackup(TemporaryFolder& f) : Window(f) {
        find<ui::FlatButton>("main_menu")->click();
        auto* menu = window.findChild<QMenu*>("main_popup");
        REQUIRE(menu != nullptr);
        menu->findChild<QAction*>("backup")->trigger();
        menu->close();
        dialog = window.findChild<ui::BackupDialog*>();
        REQUIRE(dialog != nullptr);
    }
    std::string text(const char* name) const {
        return dialog->findChild<ui::Words*>(name)->text().toStdString();
    }
    ui::FlatButton* button(const std::string& name) const {
        return dialog->findChild<ui::FlatButton*>(QString::fromStdString("backup_" + name));
    }
    bool says(const std::string& words) {
        return until([&] { return text("backup_state").find(words) != std::string::npos; });
    }
    ui::BackupDialog* dialog = nullptr;
};

}  // namespace

TEST_CASE("the setup of one computer is restored on another at its next start", "[app]") {
    TemporaryFolder one, two;
    const std::string file = one.path("all.zip");
    {
        WithBackup w(one);
        REQUIRE(w.saveAs("Evening with Anna"));
        Scene wall;
        wall.name = "Behind glass";
        wall.chain() = chain_of({stage("gain", {{"gain", -3}})});
        REQUIRE(write_file(one.path("characters/behind-glass.json"), write_scene(wall)).ok());
        w.app.preferences().setTheme("dawn");
        w.dialog->saveTo(QString::fromStdString(file));
        REQUIRE(w.says("Saved as " + file));
        // What was changed a moment before is in it.
        w.app.preferences().setTheme("dusk");
    }
    {
        WithBackup w(two);
        CHECK_FALSE(w.button("restore")->isVisible());
        w.dialog->inspect(QString::fromStdString(file));
        REQUIRE(Window::until([&] { return w.button("restore")->isVisible(); }));
        CHECK_THAT(w.text("backup_contents"), Catch::Contains("Made 20"));
        CHECK(w.button("part_characters")->text().toStdString() == "Characters: 1 new");
        CHECK(w.button("part_characters")->isChecked());
        CHECK_THAT(w.button("part_scenes")->text().toStdString(),
                   Catch::Contains("1 new, ") && Catch::Contains("the same"));
        CHECK(w.button("part_settings")->text().toStdString() == "Settings: different");
        CHECK_FALSE(w.button("part_takes")->isVisible());  // it has none
        // Without any part there is nothing to plan.
        for (const char* part : {"part_scenes", "part_characters", "part_settings"}) w.button(part)->click();
        w.button("restore")->click();
        CHECK(w.text("backup_state") == "Choose at least one part.");
        for (const char* part : {"part_scenes", "part_characters", "part_settings"}) w.button(part)->click();
        w.button("restore")->click();
        CHECK_THAT(w.text("backup_state"), Catch::Contains("It is restored at the next start."));
        // The settings in the backup were made with an open microphone; what is muted here stays so.
        w.app.mute().set(true);
        // Until then nothing has changed.
        CHECK(w.app.scenes().find("Evening with Anna") == nullptr);
        CHECK(w.app.preferences().theme() == "dusk");
    }
    {
        Window w(two);
        CHECK_THAT(message(w),
                   Catch::Contains("Restored from the backup: ") && Catch::Contains("before-restore-"));
        CHECK(w.app.scenes().find("Evening with Anna") != nullptr);
        CHECK(w.app.mixer().scene().name == "Evening with Anna");
        CHECK(w.app.preferences().theme() == "dawn");
        CHECK(w.app.mute().on());
        CHECK(std::ranges::any_of(w.app.characters().all(),
                                  [](const auto& c) { return c.name == "Behind glass"; }));
    }
    // Once only.
    Window w(two);
    CHECK_THAT(message(w), !Catch::Contains("Restored"));
}

TEST_CASE("a backup that can't be read or saved says why", "[app]") {
    TemporaryFolder folder;
    WithBackup w(folder);
    std::string said;  // the bar keeps what is serious until it was read
    QObject::connect(&w.app.notices(), &ui::Notifications::told,
                     [&](const QString& words) { said = words.toStdString(); });
    REQUIRE(write_file(folder.path("other.zip"), "no zip").ok());
    w.dialog->inspect(QString::fromStdString(folder.path("other.zip")));
    REQUIRE(Window::until([&] { return said.find("can't be read as a backup") != std::string::npos; }));
    CHECK_FALSE(w.button("restore")->isVisible());
    w.dialog->saveTo(QString::fromStdString(folder.path("none/all.zip")));
    REQUIRE(Window::until([&] { return said.find("Choose another folder") != std::string::npos; }));
}

TEST_CASE("a backup that has gone by the next start changes nothing and says so", "[app]") {
    TemporaryFolder folder;
    {
        WithBackup w(folder);
        w.dialog->saveTo(QString::fromStdString(folder.path("all.zip")));
        REQUIRE(w.says("Saved as"));
        REQUIRE(w.saveAs("Later"));
        REQUIRE(plan_restore(w.app.backup().folders(), {folder.path("all.zip"), small_backup_parts()}).ok());
        std::filesystem::remove(folder.path("all.zip"));
    }
    Window w(folder);
    CHECK_THAT(message(w), Catch::Contains("The backup was not restored") && Catch::Contains("No such file"));
    CHECK(w.app.mixer().scene().name == "Later");
}

TEST_CASE("the weekly copy is made while the program runs, and offered for a restore", "[app]") {
    TemporaryFolder folder;
    WithBackup w(folder);
    CHECK(weekly_backups(w.app.backup().folders()).empty());
    w.app.backup().scheduleWeekly(std::chrono::milliseconds(1));
    REQUIRE(Window::until([&] { return weekly_backups(w.app.backup().folders()).size() == 1; }));
    w.button("choose")->click();
    auto* menu = w.dialog->findChild<QMenu*>("backup_menu");
    REQUIRE(menu != nullptr);
    QAction* copy = menu->actions().last();
    CHECK_THAT(copy->text().toStdString(), Catch::Contains("Automatic copy of "));
    copy->trigger();
    menu->close();
    REQUIRE(Window::until([&] { return w.button("restore")->isVisible(); }));
}
