#include "deck/main_menu.h"

#include "actions/actions.h"
#include "deck/about_dialog.h"
#include "deck/backup_dialog.h"
#include "deck/osc_dialog.h"
#include "model/app_model.h"
#include "theme/theme.h"

namespace reed::ui {

MainMenu::MainMenu(Actions& actions, QWidget* parent) : QMenu(parent), actions_(actions) {
    setObjectName("main_popup");
    setAttribute(Qt::WA_DeleteOnClose);
    actions_.entry(this, "undo");
    actions_.entry(this, "redo");
    addSeparator();
    actions_.entry(this, "soundcheck");
    addAction(tr("Advice since the start…"), this, &MainMenu::adviceWanted)->setObjectName("advice_list");
    addSeparator();
    addStrips();
    addSeparator();
    addLevels();
    addSeparator();
    addKeys();
    addSeparator();
    addLook();
    addSeparator();
    addAction(tr("Backup…"), this, [this] {
        BackupDialog::open(actions_.app(), parentWidget());
    })->setObjectName("backup");
    addAction(tr("About Dusky Reed…"), this, [this] {
        AboutDialog::open(actions_.app(), parentWidget());
    })->setObjectName("about");
    if (actions_.strip().audio().snapshot().virtual_microphone) {
        addAction(tr("Quit and remove the virtual microphone…"), this, &MainMenu::quitWithoutMicrophoneWanted)
            ->setObjectName("quit_without_microphone");
    }
    actions_.entry(this, "quit");
}

void MainMenu::addStrips() {
    const MixerModel& desk = actions_.app().mixer();
    actions_.entry(this, "add-voice");
    actions_.entry(this, "add-app-audio");
    if (desk.strips().size() > 1) actions_.entry(this, "remove-strip");
    if (desk.canRestoreRemoved()) actions_.entry(this, "restore-strip");
}

void MainMenu::addLevels() {
    MixerModel* mixer = &actions_.app().mixer();
    const auto entry = [&](const QString& title, double seconds) {
        QAction* a = addAction(title, mixer, [mixer, seconds] {
            for (StripModel* s : mixer->strips()) {
                s->readings().set_window(seconds);
                if (seconds == MeterReader::kSinceReset) s->readings().restart();
            }
        });
        a->setCheckable(true);
        a->setChecked(mixer->main().readings().window() == seconds);
    };
    entry(tr("Measure levels over 3 s"), 3.0);
    entry(tr("Measure levels over 10 s"), 10.0);
    entry(tr("Measure levels over 30 s"), 30.0);
    entry(tr("Measure levels since reset (up to 10 min)"), MeterReader::kSinceReset);
}

void MainMenu::addKeys() {
    Preferences* preferences = &actions_.app().preferences();
    const auto talk = [&](const QString& title, Preferences::TalkKey mode) {
        QAction* a = addAction(title, preferences, [preferences, mode] { preferences->setTalkKey(mode); });
        a->setCheckable(true);
        a->setChecked(preferences->talkKey() == mode);
    };
    const QString set = preferences->keys().text("talk");
    const QString key = set.isEmpty() ? tr("the talk shortcut") : set;
    talk(tr("Press %1 to mute or unmute").arg(key), Preferences::TalkKey::toggles);
    talk(tr("Hold %1 to talk").arg(key), Preferences::TalkKey::talks);
    talk(tr("Hold %1 to mute").arg(key), Preferences::TalkKey::mutes);
    actions_.entry(this, "shortcuts");
    addAction(tr("Global shortcuts…"), this, &MainMenu::desktopKeysWanted)->setObjectName("desktop_keys");
    addAction(tr("Open Sound Control…"), this, [this] {
        OscDialog::open(actions_.app().preferences().osc(), parentWidget());
    })->setObjectName("osc");
    actions_.entry(this, "toggle-headphones");
}

void MainMenu::addLook() {
    Preferences* preferences = &actions_.app().preferences();
    const auto look = [&](const QString& title, const QString& name) {
        QAction* a = addAction(title, preferences, [preferences, name] { preferences->setTheme(name); });
        a->setCheckable(true);
        a->setChecked(theme().name == name);
    };
    actions_.entry(this, "compact-window");
    look(tr("Dusk (dark)"), "dusk");
    look(tr("Dawn (light)"), "dawn");
}

}  // namespace reed::ui
