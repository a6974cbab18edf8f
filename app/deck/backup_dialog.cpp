#include "deck/backup_dialog.h"

#include <QCoreApplication>
#include <QDate>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QVBoxLayout>

#include "model/app_model.h"
#include "model/scenes/backup_model.h"
#include "model/takes/takes_model.h"
#include "widgets/flat_button.h"
#include "widgets/layouts.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

QString titleOf(const BackupPartInfo& part) {
    return QCoreApplication::translate("Backup", std::string(part.title).c_str());
}

/// "3 new, 2 different, 5 the same"; of the settings, which are one file, without numbers. Empty: it has
/// none.
QString countsOf(const BackupContents& contents, BackupPart part) {
    int added = 0;
    int different = 0;
    int same = 0;
    for (const BackupItem& item : contents.items) {
        if (item.part != part) continue;
        ++(item.state == BackupState::added ? added : item.state == BackupState::same ? same : different);
    }
    if (part == BackupPart::settings)
        return added > 0       ? QObject::tr("new")
               : different > 0 ? QObject::tr("different")
               : same > 0      ? QObject::tr("the same")
                               : QString();
    QStringList out;
    if (added > 0) out << QObject::tr("%1 new").arg(added);
    if (different > 0) out << QObject::tr("%1 different").arg(different);
    if (same > 0) out << QObject::tr("%1 the same").arg(same);
    return out.join(", ");
}

bool anythingToDo(const BackupContents& contents, BackupPart part) {
    return std::ranges::any_of(contents.items, [&](const BackupItem& item) {
        const bool wanted = item.state == BackupState::added ||
                            (item.state == BackupState::different && part != BackupPart::takes);
        return item.part == part && wanted;
    });
}

}  // namespace

BackupDialog::BackupDialog(AppModel& app, QWidget* parent) : QDialog(parent), app_(app) {
    setObjectName("backup_dialog");
    setAttribute(Qt::WA_DeleteOnClose);
    setWindowTitle(tr("Backup - Dusky Reed"));
    setFixedWidth(600);
    auto* title = Words::wrapped(Words::Ink::text, 16, true, this, tr("Backup"));
    auto* purpose =
        Words::wrapped(Words::Ink::muted, 14, false, this,
                       tr("One file with your scenes, presets, characters, MIDI assignments and settings, "
                          "for another computer or "
                          "for safety. A copy without takes is made every week; the last %1 are kept.")
                           .arg(kKeptBackups));
    takes_ = FlatButton::raised("backup_takes", tr("With takes"), this);
    takes_->setCheckable(true);
    setHint(takes_, tr("Takes are the largest part of a backup"));
    auto* save = FlatButton::raised("backup_save", tr("Save a backup…"), this);
    connect(save, &FlatButton::clicked, this, &BackupDialog::chooseTarget);
    state_ = Words::wrapped(Words::Ink::muted, 14, false, this);
    state_->setObjectName("backup_state");
    choose_ = FlatButton::raised("backup_choose", tr("Restore a backup…"), this);
    connect(choose_, &FlatButton::clicked, this, &BackupDialog::chooseBackup);
    contents_ = Words::wrapped(Words::Ink::text, 14, false, this);
    contents_->setObjectName("backup_contents");
    contents_->setVisible(false);
    QVBoxLayout* all = columnOfDialog(this);
    all->addWidget(title);
    all->addWidget(purpose);
    all->addLayout(rowOf({save, takes_}));
    all->addWidget(state_);
    all->addLayout(rowOf({choose_}));
    all->addWidget(contents_);
    for (const BackupPartInfo& part : backup_parts()) {
        auto* button =
            FlatButton::raised("backup_part_" + QString::fromStdString(std::string(part.id)), {}, this);
        button->setCheckable(true);
        button->setVisible(false);
        parts_.push_back(button);
        all->addLayout(rowOf({button}));
    }
    warnings_ = Words::wrapped(Words::Ink::warning, 13, false, this);
    warnings_->setObjectName("backup_warnings");
    warnings_->setVisible(false);
    all->addWidget(warnings_);
    restore_ = FlatButton::raised("backup_restore", tr("Restore at the next start"), this);
    restore_->setVisible(false);
    connect(restore_, &FlatButton::clicked, this, &BackupDialog::planRestore);
    auto* close = FlatButton::raised("backup_close", tr("Close"), this);
    connect(close, &FlatButton::clicked, this, &QDialog::accept);
    auto* foot = new QHBoxLayout;
    foot->addWidget(restore_);
    foot->addStretch(1);
    foot->addWidget(close);
    all->addLayout(foot);
    BackupModel& backup = app_.backup();
    connect(&backup, &BackupModel::saved, this, [this](const QString& file) {
        state_->setInk(Words::Ink::good);
        state_->setText(
            tr("Saved as %1 (%2).")
                .arg(file, locale().formattedDataSize(QFileInfo(file).size(), 1, QLocale::DataSizeSIFormat)));
    });
    connect(&backup, &BackupModel::contentsRead, this, &BackupDialog::showContents);
    connect(&backup.jobs(), &JobRunner::changed, this, [this] {
        const QString words = app_.backup().jobs().words();
        // What has ended leaves no progress behind, also where it failed: the window's message says why.
        if (words.isEmpty() && !shows_progress_) return;
        shows_progress_ = !words.isEmpty();
        state_->setInk(Words::Ink::muted);
        state_->setText(words);
    });
    save->setFocus();
}

void BackupDialog::open(AppModel& app, QWidget* window) {
    if (auto* other = window->findChild<BackupDialog*>()) return other->raise();
    (new BackupDialog(app, window))->show();
}

void BackupDialog::chooseTarget() {
    const QString name = "dusky-reed-" + QDate::currentDate().toString(Qt::ISODate) + ".zip";
    const QString file = QFileDialog::getSaveFileName(this, tr("Save a backup"), QDir::home().filePath(name),
                                                      tr("Backup (*.zip)"));
    if (!file.isEmpty()) saveTo(file);
}

void BackupDialog::saveTo(const QString& file) {
    // With what was changed a moment ago.
    (void)app_.saveState();
    app_.backup().save(file, takes_->isChecked());
}

void BackupDialog::chooseBackup() {
    auto* menu = new QMenu(this);
    menu->setObjectName("backup_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Choose a file…"), this, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Restore a backup"), QDir::homePath(),
                                                          tr("Backup (*.zip)"));
        if (!file.isEmpty()) inspect(file);
    });
    menu->addSeparator();
    const auto copies = weekly_backups(app_.backup().folders());
    for (const auto& copy : copies) {
        const QString day = QString::fromStdString(copy.stem().string()).section('-', 1);
        const QDate date = QDate::fromString(day, Qt::ISODate);
        menu->addAction(tr("Automatic copy of %1").arg(locale().toString(date, QLocale::LongFormat)), this,
                        [this, file = QString::fromStdString(copy.string())] { inspect(file); });
    }
    if (copies.empty()) menu->addAction(tr("No automatic copies yet"))->setEnabled(false);
    menu->popup(choose_->mapToGlobal(QPoint(0, choose_->height())));
}

void BackupDialog::inspect(const QString& file) {
    // Compared with what is set now.
    (void)app_.saveState();
    app_.backup().read(file);
}

void BackupDialog::showContents() {
    const auto& contents = app_.backup().contents();
    if (!contents) return;
    state_->clear();
    contents_->setText(
        tr("Made %1 UTC by version %2. Files that are only here are unchanged.")
            .arg(QString::fromStdString(contents->made), QString::fromStdString(contents->version)));
    contents_->setVisible(true);
    bool any = false;
    for (size_t i = 0; i < parts_.size(); ++i) {
        const BackupPartInfo& part = backup_parts()[i];
        const bool useful = anythingToDo(*contents, part.part);
        const QString counts = countsOf(*contents, part.part);
        parts_[i]->setText(tr("%1: %2").arg(titleOf(part), counts));
        parts_[i]->setVisible(!counts.isEmpty());
        parts_[i]->setEnabled(useful);
        parts_[i]->setChecked(useful);
        any = any || useful;
    }
    QStringList warnings;
    const PipeWireSnapshot& devices = app_.audio().snapshot();
    const QStringList missing =
        app_.backup().missingDevices([&](const std::string& node) { return devices.has_source(node); });
    if (!missing.isEmpty())
        warnings << tr("Its settings use inputs that are not here: %1. Choose others after the restore.")
                        .arg(missing.join(", "));
    if (!contents->problems.empty())
        warnings << tr("%n files can't be restored: %1", nullptr, static_cast<int>(contents->problems.size()))
                        .arg(QString::fromStdString(contents->problems.front().text()));
    warnings_->setText(warnings.join('\n'));
    warnings_->setVisible(!warnings.isEmpty());
    restore_->setVisible(true);
    restore_->setEnabled(any);
    if (!any) state_->setText(tr("Nothing to restore: all of it is here already."));
    adjustSize();
}

void BackupDialog::planRestore() {
    BackupParts parts;
    for (size_t i = 0; i < parts_.size(); ++i) {
        if (parts_[i]->isChecked() && parts_[i]->isEnabled()) parts.insert(backup_parts()[i].part);
    }
    if (parts.empty()) {
        state_->setInk(Words::Ink::warning);
        state_->setText(tr("Choose at least one part."));
        return;
    }
    if (!app_.backup().planRestore(parts)) return;
    state_->setInk(Words::Ink::good);
    state_->setText(
        tr("It is restored at the next start. Quit Dusky Reed and start it again. What it replaces is "
           "saved first."));
    restore_->setEnabled(false);
}

}  // namespace reed::ui
