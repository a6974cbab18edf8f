// The window "Backup": saves the whole setup as one file, and restores it.
#pragma once

#include <QDialog>
#include <vector>

#include "scenes/backup.h"

namespace reed::ui {

class AppModel;
class FlatButton;
class Words;

/// Saves a backup, shows what one holds compared with what is here, and plans its restore for the next start.
class BackupDialog final : public QDialog {
    Q_OBJECT
  public:
    BackupDialog(AppModel& app, QWidget* parent);
    /// Opens it over `window`, or shows the one that is open.
    static void open(AppModel& app, QWidget* window);

    /// Saves to `file`, as after choosing it.
    void saveTo(const QString& file);
    /// Shows what `file` holds, as after choosing it.
    void inspect(const QString& file);

  private:
    void chooseTarget();
    /// Automatic copies, and another file.
    void chooseBackup();
    void showContents();
    void planRestore();

    AppModel& app_;
    bool shows_progress_ = false;
    FlatButton *takes_, *choose_, *restore_;
    std::vector<FlatButton*> parts_;  ///< one a part, in their order
    Words *state_, *contents_, *warnings_;
};

}  // namespace reed::ui
