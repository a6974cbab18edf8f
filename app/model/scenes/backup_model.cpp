#include "model/scenes/backup_model.h"

#include <QCoreApplication>

namespace reed::ui {
namespace {

std::string version() {
    return QCoreApplication::applicationVersion().toStdString();
}

std::chrono::year_month_day today() {
    return std::chrono::floor<std::chrono::days>(std::chrono::system_clock::now());
}

}  // namespace

BackupModel::BackupModel(AppContext& context) : context_(context) {
    weekly_.setSingleShot(true);
    connect(&weekly_, &QTimer::timeout, this, &BackupModel::makeWeekly);
}

SetupFolders BackupModel::folders() const {
    return {context_.paths.scenes.parent_path(), context_.paths.state.parent_path()};
}

bool BackupModel::restorePlanned() {
    const auto plan = take_planned_restore(folders());
    if (!plan) return false;
    const auto done = restore_backup(plan->file, folders(), plan->parts, version());
    if (!done.ok()) {
        context_.notices.warn(
            tr("The backup was not restored: %1").arg(QString::fromStdString(done.error().text())));
        return true;
    }
    const RestoreReport& r = done.value();
    QString words = tr("Restored from the backup: %n files.", nullptr, static_cast<int>(r.restored));
    if (!r.before.empty())
        words +=
            " " + tr("What they replaced was saved as %1.").arg(QString::fromStdString(r.before.string()));
    if (!r.problems.empty())
        words += " " + tr("%n were not: %1", nullptr, static_cast<int>(r.problems.size()))
                           .arg(QString::fromStdString(r.problems.front().text()));
    // Kept until it is read: it says where the earlier setup is.
    context_.notices.warn(words);
    return true;
}

void BackupModel::scheduleWeekly(std::chrono::milliseconds after) {
    weekly_.start(after);
}

void BackupModel::makeWeekly() {
    jobs_.run(
        {}, [where = folders(), v = version(), day = today()] { return back_up_weekly(where, v, day); },
        [this](const auto& made) {
            if (!made.ok()) context_.notices.tell(made.error());
        });
}

void BackupModel::save(const QString& file, bool takes) {
    BackupParts parts = small_backup_parts();
    if (takes) parts.insert(BackupPart::takes);
    jobs_.run(
        tr("Saving the backup"),
        [to = file.toStdString(), where = folders(), parts, v = version()](const Progress& progress) {
            return write_backup(to, where, parts, v, progress);
        },
        [this, file](const Result<void>& done) {
            if (done.ok())
                emit saved(file);
            else
                context_.notices.tell(done.error());
        });
}

void BackupModel::read(const QString& file) {
    jobs_.run(
        tr("Reading the backup"),
        [from = file.toStdString(), where = folders()](const Progress& progress) {
            return read_backup(from, where, progress);
        },
        [this, file](Result<BackupContents> done) {
            if (!done.ok()) return context_.notices.tell(done.error());
            contents_ = std::move(done.value());
            file_ = file;
            emit contentsRead();
        });
}

QStringList BackupModel::missingDevices(const std::function<bool(const std::string&)>& present) const {
    QStringList out;
    if (!contents_) return out;
    for (const std::string& device : contents_->devices) {
        if (!present(device)) out << QString::fromStdString(device);
    }
    return out;
}

bool BackupModel::planRestore(const BackupParts& parts) {
    if (file_.isEmpty()) return false;
    const auto done = plan_restore(folders(), {file_.toStdString(), parts});
    if (!done.ok()) context_.notices.tell(done.error());
    return done.ok();
}

}  // namespace reed::ui
