#include "backup_commands.h"

#include <algorithm>
#include <cstdio>
#include <memory>

#include "common.h"
#include "scenes/backup.h"

namespace reed::cli {
namespace {

struct Options {
    std::string file;
    std::vector<std::string> parts;
    bool takes = false, list = false, json = false;
};

const char* word_of(BackupState state) {
    switch (state) {
        case BackupState::added:
            return "new";
        case BackupState::different:
            return "different";
        case BackupState::same:
            break;
    }
    return "same";
}

std::string id_of(BackupPart part) {
    return std::string(std::ranges::find(backup_parts(), part, &BackupPartInfo::part)->id);
}

BackupParts chosen(const Options& o) {
    BackupParts out;
    for (const BackupPartInfo& p : backup_parts()) {
        if (o.parts.empty() || std::ranges::find(o.parts, p.id) != o.parts.end()) out.insert(p.part);
    }
    return out;
}

int backup(const Options& o) {
    BackupParts parts = small_backup_parts();
    if (o.takes) parts.insert(BackupPart::takes);
    const auto written = write_backup(o.file, SetupFolders::standard(), parts, REED_VERSION);
    return written.ok() ? 0 : refuse(written.error());
}

int list(const Options& o) {
    const auto read = read_backup(o.file, SetupFolders::standard());
    if (!read.ok()) return refuse(read.error());
    const BackupContents& c = read.value();
    const BackupParts parts = chosen(o);
    Json files = Json::array();
    for (const BackupItem& item : c.items) {
        if (!parts.contains(item.part)) continue;
        files.push_back({{"part", id_of(item.part)},
                         {"file", item.path},
                         {"state", word_of(item.state)},
                         {"bytes", item.bytes}});
    }
    if (o.json) {
        std::cout << Json{{"made", c.made}, {"version", c.version}, {"files", files}, {"devices", c.devices}}
                         .dump(2)
                  << "\n";
    } else {
        std::printf("Made %s UTC by version %s.\n", c.made.c_str(), c.version.c_str());
        for (const Json& f : files)
            std::printf("%-10s %-10s %s\n", f["state"].get<std::string>().c_str(),
                        f["part"].get<std::string>().c_str(), f["file"].get<std::string>().c_str());
        for (const std::string& device : c.devices)
            std::printf("Its settings use the input %s.\n", device.c_str());
    }
    for (const Error& e : c.problems) std::cerr << "dusky-reed-cli: " << e.text() << "\n";
    return c.problems.empty() ? 0 : kBadInput;
}

int restore(const Options& o) {
    if (o.list) return list(o);
    const SetupFolders folders = SetupFolders::standard();
    if (const auto process = running_window(folders))
        return refuse({"Dusky Reed is running (process " + std::to_string(*process) +
                           ") and would overwrite the settings when it quits.",
                       "", "Quit it first, or restore in its window."});
    const auto done = restore_backup(o.file, folders, chosen(o), REED_VERSION);
    if (!done.ok()) return refuse(done.error());
    const RestoreReport& r = done.value();
    if (o.json) {
        std::cout << Json{{"restored", r.restored},
                          {"before", r.before.empty() ? Json(nullptr) : Json(r.before.string())}}
                         .dump(2)
                  << "\n";
    } else {
        std::printf("%zu files restored.\n", r.restored);
        if (!r.before.empty()) std::printf("What they replaced is in %s.\n", r.before.c_str());
    }
    for (const Error& e : r.problems) std::cerr << "dusky-reed-cli: " << e.text() << "\n";
    return r.problems.empty() ? 0 : kBadInput;
}

}  // namespace

std::vector<std::pair<CLI::App*, std::function<int()>>> backup_commands(CLI::App& app) {
    const auto o = std::make_shared<Options>();
    auto* b = app.add_subcommand(
        "backup", "Save scenes, presets, characters, MIDI assignments and settings as one file");
    b->add_option("--out", o->file, "Zip to write")->type_name("FILE")->required();
    b->add_flag("--takes", o->takes, "With the takes");
    auto* r = app.add_subcommand("restore", "Restore a backup; what it replaces is saved first");
    r->add_option("file", o->file, "Backup")->type_name("FILE")->required();
    std::vector<std::string> ids;
    for (const BackupPartInfo& p : backup_parts()) ids.emplace_back(p.id);
    r->add_option("--part", o->parts, "Only this part; may be repeated")
        ->check(CLI::IsMember(ids))
        ->take_all();
    r->add_flag("--list", o->list, "Show what is new, different or the same, and change nothing");
    r->add_flag("--json", o->json, "Print JSON");
    return {{b, [o] { return backup(*o); }}, {r, [o] { return restore(*o); }}};
}

}  // namespace reed::cli
