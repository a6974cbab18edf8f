// When backups are made by themselves, and when a restore is carried out.
#include <algorithm>
#include <cstdio>
#include <fstream>
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "scenes/backup.h"
#include "scenes/strict_json.h"

namespace reed {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

constexpr const char* kPlan = "restore-at-start.json";
constexpr size_t kMaxPlanBytes = 100'000, kMaxNesting = 8;
constexpr const char* kWeekly = "backup-";

/// The day in "backup-2026-12-02.zip"; nothing for another name.
std::optional<std::chrono::sys_days> day_of(const fs::path& file) {
    const std::string name = file.filename().string();
    int year = 0;
    unsigned month = 0, day = 0;
    char rest = 0;
    if (std::sscanf(name.c_str(), "backup-%4d-%2u-%2u.zi%c", &year, &month, &day, &rest) != 4) return {};
    const std::chrono::year_month_day date{std::chrono::year(year), std::chrono::month(month),
                                           std::chrono::day(day)};
    if (!date.ok() || name.size() != std::string("backup-2026-12-02.zip").size() || rest != 'p') return {};
    return std::chrono::sys_days(date);
}

}  // namespace

std::optional<int> running_window(const SetupFolders& folders) {
    // Process and program in the first two lines, as the window's lock has them.
    std::ifstream lock(folders.state / "session.lock");
    int process = 0;
    std::string program;
    if (!(lock >> process >> program) || process <= 0) return {};
    std::error_code ec;
    const fs::path runs = fs::read_symlink("/proc/" + std::to_string(process) + "/exe", ec);
    if (ec) return {};
    return runs.filename().string().starts_with(program) ? std::optional(process) : std::nullopt;
}

std::vector<fs::path> weekly_backups(const SetupFolders& folders) {
    std::vector<fs::path> out;
    std::error_code ec;
    for (const auto& entry : fs::directory_iterator(backup_folder(folders), ec)) {
        if (day_of(entry.path())) out.push_back(entry.path());
    }
    std::ranges::sort(out, std::ranges::greater());
    return out;
}

Result<std::optional<fs::path>> back_up_weekly(const SetupFolders& folders, const std::string& version,
                                               std::chrono::year_month_day today) {
    const fs::path folder = backup_folder(folders);
    const auto now = std::chrono::sys_days(today);
    const auto there = weekly_backups(folders);
    // A clock that was wrong once must not stop them for ever.
    const auto apart = [&](const fs::path& file) {
        const auto days = now - *day_of(file);
        return days < std::chrono::days(0) ? -days : days;
    };
    if (std::ranges::any_of(there, [&](const fs::path& file) { return apart(file) < kBackupEvery; }))
        return std::optional<fs::path>();
    if (const auto ec = create_folders(folder))
        return Error{"can't be created: " + ec.message() + ".", folder.string(), ""};
    char name[64];
    std::snprintf(name, sizeof name, "%s%04d-%02u-%02u.zip", kWeekly, static_cast<int>(today.year()),
                  static_cast<unsigned>(today.month()), static_cast<unsigned>(today.day()));
    const fs::path file = folder / name;
    if (auto done = write_backup(file, folders, small_backup_parts(), version); !done.ok())
        return done.error();
    // Only what this made is removed: never a copy made by hand, or before a restore.
    std::vector<fs::path> all = weekly_backups(folders);
    for (size_t i = kKeptBackups; i < all.size(); ++i) {
        std::error_code ignored;
        if (all[i] != file) fs::remove(all[i], ignored);
    }
    return std::optional(file);
}

Result<void> plan_restore(const SetupFolders& folders, const PlannedRestore& plan) {
    Json parts = Json::array();
    for (const BackupPart part : plan.parts) parts.push_back(backup_parts()[static_cast<size_t>(part)].id);
    return write_file(folders.state / kPlan,
                      Json{{"file", fs::absolute(plan.file).string()}, {"parts", parts}}.dump(2) + "\n");
}

std::optional<PlannedRestore> take_planned_restore(const SetupFolders& folders) {
    const fs::path at = folders.state / kPlan;
    const auto text = read_file(at, kMaxPlanBytes);
    std::error_code ignored;
    if (!text.ok() || !fs::remove(at, ignored)) return {};
    try {
        const Json plan = parse_strict(text.value(), kMaxNesting);
        PlannedRestore out{plan.at("file").get<std::string>(), {}};
        for (const Json& id : plan.at("parts")) {
            const auto info = std::ranges::find(backup_parts(), id.get<std::string>(), &BackupPartInfo::id);
            if (info != backup_parts().end()) out.parts.insert(info->part);
        }
        return out;
    } catch (const RefusedJson&) {
        return {};
    } catch (const nlohmann::json::exception&) {
        return {};
    }
}

}  // namespace reed
