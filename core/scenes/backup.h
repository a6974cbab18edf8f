// The whole setup of a user as one file: scenes, presets, characters, MIDI assignments, settings and takes.
#pragma once

#include <array>
#include <chrono>
#include <filesystem>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "base/progress.h"
#include "base/result.h"

namespace reed {

/// Where a user's setup is.
struct SetupFolders {
    std::filesystem::path data;   ///< scenes, takes and the like
    std::filesystem::path state;  ///< settings

    /// "dusky-reed" below user_data_folder() and user_state_folder().
    static SetupFolders standard();
};

enum class BackupPart { scenes, presets, characters, midi, settings, takes };
using BackupParts = std::set<BackupPart>;

struct BackupPartInfo {
    BackupPart part;
    std::string_view id;      ///< "scenes", as options of the command line name it
    std::string_view title;   ///< "Scenes", translatable
    std::string_view folder;  ///< in the data folder; empty: the settings
};
/// In the order of the enumeration.
const std::array<BackupPartInfo, 6>& backup_parts();
/// All but the takes.
BackupParts small_backup_parts();

/// How a file of a backup compares with the one that is here.
enum class BackupState { added, same, different };

struct BackupItem {
    BackupPart part = BackupPart::scenes;
    std::string path;  ///< below the folder of its part, e.g. "evening.json"
    BackupState state = BackupState::added;
    std::uintmax_t bytes = 0;
    std::uint64_t index = 0;  ///< in the archive
};

struct BackupContents {
    std::string made;     ///< "2026-12-02 05:30:00", UTC
    std::string version;  ///< of the program that made it
    std::vector<BackupItem> items;
    std::vector<Error> problems;       ///< files that are not restored; `where` is the name in the archive
    std::vector<std::string> devices;  ///< node names of the microphones that its settings use
};

/// Writes the setup as a zip, all or nothing. Links, hidden files and folders named "removed" are left out.
/// `version`: of the program. Returns an error if there is nothing to back up, if the disk refuses, or if it
/// was cancelled.
Result<void> write_backup(const std::filesystem::path& file, const SetupFolders& folders,
                          const BackupParts& parts, const std::string& version,
                          const Progress& progress = {});

/// Reads what a backup holds and compares it with what is here. Changes nothing. Names in the archive that no
/// backup has, files that are too large, and text that can't be used are problems. Returns an error if it is
/// no backup, or one of a newer format.
Result<BackupContents> read_backup(const std::filesystem::path& file, const SetupFolders& folders,
                                   const Progress& progress = {});

struct RestoreReport {
    size_t restored = 0;           ///< files written
    std::vector<Error> problems;   ///< files that were not
    std::filesystem::path before;  ///< backup of the setup as it was; empty if nothing was replaced
};

/// Writes the files of these parts that are new or different. First, what they replace is saved as a backup
/// of its own in the folder "backups". Files that only are here stay. A take is never replaced. Returns an
/// error if nothing was changed: no backup, a full disk, or cancelled.
Result<RestoreReport> restore_backup(const std::filesystem::path& file, const SetupFolders& folders,
                                     const BackupParts& parts, const std::string& version,
                                     const Progress& progress = {});

/// The folder "backups" in the data folder.
std::filesystem::path backup_folder(const SetupFolders& folders);

/// Id of the process of a window that uses these folders; nothing if there is none.
std::optional<int> running_window(const SetupFolders& folders);

/// Automatic copies in the folder "backups": without takes, at most kKeptBackups.
inline constexpr int kKeptBackups = 8;
inline constexpr std::chrono::days kBackupEvery{7};
/// Writes one if the newest is kBackupEvery old or there is none, and removes the oldest above the limit.
/// Returns the new file, or nothing if none was due.
Result<std::optional<std::filesystem::path>> back_up_weekly(const SetupFolders& folders,
                                                            const std::string& version,
                                                            std::chrono::year_month_day today);
/// The automatic copies, newest first.
std::vector<std::filesystem::path> weekly_backups(const SetupFolders& folders);

/// A restore that the next start of the window carries out.
struct PlannedRestore {
    std::filesystem::path file;
    BackupParts parts;
};
Result<void> plan_restore(const SetupFolders& folders, const PlannedRestore& plan);
/// Returns the plan and forgets it; nothing if there is none.
std::optional<PlannedRestore> take_planned_restore(const SetupFolders& folders);

}  // namespace reed
