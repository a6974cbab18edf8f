// Backups of the whole setup.
#pragma once

#include <QObject>
#include <QTimer>
#include <chrono>
#include <functional>
#include <optional>

#include "model/shared/app_context.h"
#include "model/shared/job_runner.h"
#include "scenes/backup.h"

namespace reed::ui {

/// Saves and reads backups on other threads. A restore is planned, and carried out at the next start, before
/// anything is read: files that are in use are never replaced. GUI thread only.
class BackupModel final : public QObject {
    Q_OBJECT
  public:
    explicit BackupModel(AppContext& context);

    SetupFolders folders() const;
    /// Carries out a planned restore and reports the result; false if there was none. Call at the start: what
    /// has been read by then has to be read again.
    bool restorePlanned();
    /// Makes the weekly copy on another thread if it is due, `after` the call. Problems are reported.
    void scheduleWeekly(std::chrono::milliseconds after);

    /// Saves a backup; saved() or a warning follows.
    void save(const QString& file, bool takes);
    /// Reads what a backup holds and compares it with what is here; contentsRead() or a warning follows.
    void read(const QString& file);
    /// The backup that was read last.
    const std::optional<BackupContents>& contents() const { return contents_; }
    /// Inputs of the settings in it that are not among the present ones.
    QStringList missingDevices(const std::function<bool(const std::string&)>& present) const;
    /// Plans to restore these parts of it at the next start; false with a warning if that can't be stored.
    bool planRestore(const BackupParts& parts);

    JobRunner& jobs() { return jobs_; }

  signals:
    void saved(const QString& file);
    void contentsRead();

  private:
    void makeWeekly();

    AppContext& context_;
    QString file_;
    std::optional<BackupContents> contents_;
    QTimer weekly_;
    JobRunner jobs_;
};

}  // namespace reed::ui
