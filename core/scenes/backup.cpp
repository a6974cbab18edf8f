#include "scenes/backup.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <ctime>
#include <fstream>
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "base/zip_archive.h"
#include "scenes/strict_json.h"
#include "scenes/working_state.h"

namespace reed {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

constexpr int kFormat = 1;
constexpr const char* kManifest = "backup.json";
constexpr const char* kSettings = "session.json";
constexpr const char* kRemoved = "removed";
constexpr int kMaxEntries = 50'000;
constexpr std::uint64_t kMaxTakeBytes = 8'000'000'000;
constexpr size_t kMaxTextBytes = 2 * kMaxSceneBytes;
constexpr std::uint64_t kMaxAllTextBytes = 500'000'000;
constexpr size_t kMaxNesting = 64, kMaxDepth = 3, kMaxName = 200;

constexpr std::array<BackupPartInfo, 6> kParts{{
    {BackupPart::scenes, "scenes", "Scenes", "scenes"},
    {BackupPart::presets, "presets", "Presets", "recipes"},
    {BackupPart::characters, "characters", "Characters", "characters"},
    {BackupPart::midi, "midi", "MIDI assignments", "midi"},
    {BackupPart::settings, "settings", "Settings", ""},
    {BackupPart::takes, "takes", "Takes", "takes"},
}};

const BackupPartInfo& info_of(BackupPart part) {
    return kParts[static_cast<size_t>(part)];
}

fs::path folder_of(const SetupFolders& folders, BackupPart part) {
    const std::string_view folder = info_of(part).folder;
    return folder.empty() ? folders.state : folders.data / folder;
}

bool kind_belongs(BackupPart part, const fs::path& path) {
    const std::string kind = path.extension().string();
    switch (part) {
        case BackupPart::settings:
            return path == kSettings;
        case BackupPart::takes:
            return kind == ".flac" || kind == ".wav" || kind == ".opus" || kind == ".ogg";
        default:
            return kind == ".json" || path == "order.txt";
    }
}

/// Files of a part, relative to its folder, sorted. A folder that can't be read is an error: a backup without
/// it would look whole.
Result<std::vector<fs::path>> files_of(const SetupFolders& folders, BackupPart part) {
    std::vector<fs::path> out;
    const fs::path at = folder_of(folders, part);
    std::error_code ec;
    if (!fs::exists(at, ec) && !ec) return out;
    fs::recursive_directory_iterator walk(at, ec);
    for (const fs::recursive_directory_iterator end; !ec && walk != end; walk.increment(ec)) {
        const std::string name = walk->path().filename().string();
        std::error_code ignored;
        const bool folder = walk->is_directory(ignored) && !walk->is_symlink(ignored);
        const bool left_out = name == kRemoved || name.starts_with('.') || part == BackupPart::settings;
        if (folder && (left_out || walk.depth() + 1 >= static_cast<int>(kMaxDepth)))
            walk.disable_recursion_pending();
        if (folder || walk->is_symlink(ignored) || !walk->is_regular_file(ignored)) continue;
        const fs::path relative = walk->path().lexically_relative(at);
        if (!name.starts_with('.') && kind_belongs(part, relative)) out.push_back(relative);
    }
    if (ec) return Error{"can't be read: " + ec.message() + ".", at.string(), "Check its permissions."};
    std::ranges::sort(out);
    return out;
}

std::string entry_name(BackupPart part, const fs::path& relative) {
    return std::string(info_of(part).id) + "/" + relative.generic_string();
}

/// Part and path of an entry; nothing for a name that no backup has, such as one that leads elsewhere.
std::optional<std::pair<BackupPart, std::string>> place_of(const std::string& name) {
    const size_t slash = name.find('/');
    if (slash == std::string::npos || name.find_first_of(std::string("\\\0", 2)) != std::string::npos)
        return {};
    const auto info = std::ranges::find(kParts, std::string_view(name).substr(0, slash), &BackupPartInfo::id);
    if (info == kParts.end()) return {};
    const std::string rest = name.substr(slash + 1);
    size_t depth = 0;
    for (size_t from = 0; from <= rest.size();) {
        const size_t to = std::min(rest.find('/', from), rest.size());
        const std::string word = rest.substr(from, to - from);
        if (word.empty() || word.starts_with('.') || word.size() > kMaxName || word == kRemoved) return {};
        ++depth;
        from = to + 1;
    }
    if (depth > kMaxDepth || !kind_belongs(info->part, fs::path(rest))) return {};
    return std::pair(info->part, rest);
}

/// Why a text can't be used; nothing if it can.
std::optional<Error> problem_of(BackupPart part, const std::string& path, const std::string& text) {
    if (part == BackupPart::settings) {
        const auto state = parse_working_state(text);
        return state.ok() ? std::nullopt : std::optional(state.error());
    }
    if (!path.ends_with(".json")) return {};
    if (part == BackupPart::midi) {
        try {
            (void)parse_strict(text, kMaxNesting);
        } catch (const RefusedJson& e) {
            return Error{e.what, "", ""};
        } catch (const nlohmann::json::exception&) {
            return Error{"is not valid JSON.", "", ""};
        }
        return {};
    }
    const SceneReading reading = read_scene(text);
    if (reading.scene) return {};
    return reading.problems.empty() ? Error{"is not a scene.", "", ""} : reading.problems.front();
}

std::string utc_now() {
    const std::time_t now = std::time(nullptr);
    std::tm parts{};
    gmtime_r(&now, &parts);
    char out[40];
    return {out, std::strftime(out, sizeof out, "%Y-%m-%d %H:%M:%S", &parts)};
}

struct OpenBackup {
    ZipArchive zip;
    std::string made, version;
};

Result<OpenBackup> open_backup(const fs::path& file) {
    const Error none{"isn't a backup of Dusky Reed.", file.string(), ""};
    int code = 0;
    OpenBackup out;
    out.zip.reset(zip_open(file.c_str(), ZIP_RDONLY, &code));
    if (!out.zip) {
        zip_error_t error;
        zip_error_init_with_code(&error, code);
        return zip_refused(error, file, "can't be read as a backup");
    }
    const zip_int64_t at = zip_name_locate(out.zip.get(), kManifest, 0);
    if (at < 0) return none;
    if (zip_get_num_entries(out.zip.get(), 0) > kMaxEntries)
        return Error{"holds more than 50000 files; no backup does.", file.string(), ""};
    const auto text = unpack(out.zip.get(), static_cast<zip_uint64_t>(at), kMaxTextBytes);
    if (!text.ok()) return none;
    try {
        const Json manifest = parse_strict(text.value(), kMaxNesting);
        if (manifest.at("format") != "dusky-reed-backup") return none;
        if (manifest.at("version").get<int>() > kFormat)
            return Error{"was made by a newer version of Dusky Reed.", file.string(), "Update the program."};
        out.made = manifest.at("made").get<std::string>().substr(0, kMaxName);
        out.version = manifest.at("program").get<std::string>().substr(0, kMaxName);
    } catch (const RefusedJson&) {
        return none;
    } catch (const nlohmann::json::exception&) {
        return none;
    }
    return out;
}

/// Whether an entry has the same bytes as a file.
bool same_bytes(zip_t* zip, std::uint64_t index, std::uint64_t size, const fs::path& file) {
    std::error_code ec;
    if (fs::file_size(file, ec) != size || ec) return false;
    std::ifstream here(file, std::ios::binary);
    bool same = here.good();
    std::string piece;
    const auto read = unpack(zip, index, size, [&](std::string_view there) {
        piece.resize(there.size());
        here.read(piece.data(), static_cast<std::streamsize>(piece.size()));
        same = same && here.gcount() == static_cast<std::streamsize>(there.size()) && piece == there;
        return same;
    });
    return read.ok() && same;
}

/// Name, size and time of an entry.
struct Entry {
    std::string name;
    std::uint64_t size = 0;
    std::time_t time = 0;
};

Entry entry_at(zip_t* zip, std::uint64_t index) {
    zip_stat_t stat;
    zip_stat_init(&stat);
    if (zip_stat_index(zip, index, 0, &stat) != 0 || (stat.valid & ZIP_STAT_NAME) == 0) return {};
    return {stat.name, (stat.valid & ZIP_STAT_SIZE) != 0 ? stat.size : 0,
            (stat.valid & ZIP_STAT_MTIME) != 0 ? stat.mtime : 0};
}

/// What was read of a backup so far.
struct Reading {
    BackupContents contents;
    std::set<std::string> names;
    std::uint64_t text_bytes = 0;
};

/// Adds what an entry is.
void read_entry(zip_t* zip, std::uint64_t index, const SetupFolders& folders, Reading& reading) {
    BackupContents& out = reading.contents;
    const Entry entry = entry_at(zip, index);
    if (entry.name.empty() || entry.name.back() == '/' || entry.name == kManifest) return;
    const auto problem = [&](std::string what) { out.problems.push_back({std::move(what), entry.name, ""}); };
    const auto place = place_of(entry.name);
    if (!place) return problem("is no file of a backup.");
    const auto& [part, path] = *place;
    if (!reading.names.insert(entry.name).second) return problem("is there twice.");
    const bool text = part != BackupPart::takes;
    if (entry.size > (text ? kMaxTextBytes : kMaxTakeBytes)) return problem("is too large.");
    if (text) {
        const auto bytes = unpack(zip, index, kMaxTextBytes);
        if (!bytes.ok()) return problem(bytes.error().what);
        reading.text_bytes += bytes.value().size();
        if (const auto why = problem_of(part, path, bytes.value()))
            return void(out.problems.push_back(
                {why->what, entry.name + (why->where.empty() ? "" : ", " + why->where), why->remedy}));
        if (part == BackupPart::settings) {
            const WorkingState state = parse_working_state(bytes.value()).value();
            std::set<std::string> devices;
            const auto add = [&](const StripDeviceSettings& s) {
                if (s.kind == "pipewire" && !s.target.empty()) devices.insert(s.target);
            };
            add(state.input);
            for (const auto& [strip, settings] : state.inputs) add(settings);
            out.devices.assign(devices.begin(), devices.end());
        }
    }
    const fs::path here = folder_of(folders, part) / path;
    std::error_code ec;
    const bool there = fs::exists(fs::symlink_status(here, ec));
    BackupItem item{part, path, BackupState::added, entry.size, index};
    if (there)
        item.state = same_bytes(zip, index, entry.size, here) ? BackupState::same : BackupState::different;
    out.items.push_back(std::move(item));
}

Result<BackupContents> contents_of(const OpenBackup& open, const fs::path& file, const SetupFolders& folders,
                                   const Progress& progress) {
    Reading reading;
    reading.contents.made = open.made;
    reading.contents.version = open.version;
    const zip_int64_t count = zip_get_num_entries(open.zip.get(), 0);
    for (zip_int64_t i = 0; i < count; ++i) {
        if (progress && !progress(static_cast<double>(i) / static_cast<double>(count)))
            return cancelled(file.string());
        read_entry(open.zip.get(), static_cast<std::uint64_t>(i), folders, reading);
        if (reading.text_bytes > kMaxAllTextBytes)
            return Error{"unpacks to more than 500 MB of text; no backup does.", file.string(), ""};
    }
    return std::move(reading.contents);
}

/// Writes one entry to its place.
Result<void> restore_item(zip_t* zip, const BackupItem& item, const fs::path& to) {
    if (const auto ec = create_folders(to.parent_path()))
        return Error{"can't be created: " + ec.message() + ".", to.parent_path().string(), ""};
    auto writer = AtomicFileWriter::begin(to);
    if (!writer.ok()) return writer.error();
    Result<void> written;
    const auto read = unpack(zip, item.index, kMaxTakeBytes, [&](std::string_view piece) {
        written = writer.value().write(std::string(piece));
        return written.ok();
    });
    if (!read.ok()) return read.error();
    if (!written.ok()) return written;
    if (auto done = writer.value().commit(); !done.ok()) return done;
    if (const std::time_t time = entry_at(zip, item.index).time; time > 0) {
        const timespec times[2] = {{time, 0}, {time, 0}};
        (void)utimensat(AT_FDCWD, to.c_str(), times, 0);  // takes are listed by it
    }
    return {};
}

}  // namespace

const std::array<BackupPartInfo, 6>& backup_parts() {
    return kParts;
}

BackupParts small_backup_parts() {
    BackupParts out;
    for (const BackupPartInfo& p : kParts) {
        if (p.part != BackupPart::takes) out.insert(p.part);
    }
    return out;
}

fs::path backup_folder(const SetupFolders& folders) {
    return folders.data / "backups";
}

SetupFolders SetupFolders::standard() {
    return {user_data_folder() / "dusky-reed", (user_state_folder() / kStateFile).parent_path()};
}

Result<void> write_backup(const fs::path& file, const SetupFolders& folders, const BackupParts& parts,
                          const std::string& version, const Progress& progress) {
    std::error_code ignored;
    if (fs::is_directory(file, ignored))
        return Error{"is a folder.", file.string(), "Enter the name of a file."};
    const fs::path folder = fs::absolute(file, ignored).parent_path();
    if (!fs::is_directory(folder, ignored))
        return Error{"doesn't exist.", folder.string(), "Choose another folder."};
    // Beside the target, so that the name is taken only by a whole file.
    const fs::path partial = unique_path(file.string() + ".part");
    int code = 0;
    ZipArchive zip(zip_open(partial.c_str(), ZIP_CREATE | ZIP_EXCL, &code));
    if (!zip) {
        zip_error_t error;
        zip_error_init_with_code(&error, code);
        return zip_refused(error, file, "can't be written");
    }
    const auto add = [&](const std::string& name, zip_source_t* source, bool packed) {
        const zip_int64_t at =
            source == nullptr ? -1 : zip_file_add(zip.get(), name.c_str(), source, ZIP_FL_ENC_UTF_8);
        if (at < 0) {
            zip_source_free(source);
            return false;
        }
        return packed ||
               zip_set_file_compression(zip.get(), static_cast<zip_uint64_t>(at), ZIP_CM_STORE, 0) == 0;
    };
    const auto refused = [&](const std::string& why) {
        zip.reset();
        fs::remove(partial, ignored);
        return Error{"can't be written: " + why + ".", file.string(), "Check the free space and the folder."};
    };
    const std::string manifest =
        Json{{"format", "dusky-reed-backup"}, {"version", kFormat}, {"program", version}, {"made", utc_now()}}
            .dump(2) +
        "\n";
    if (!add(kManifest, zip_source_buffer(zip.get(), manifest.data(), manifest.size(), 0), true))
        return refused(zip_strerror(zip.get()));
    size_t files = 0;
    for (const BackupPartInfo& p : kParts) {
        if (!parts.contains(p.part)) continue;
        const auto found = files_of(folders, p.part);
        if (!found.ok()) {
            (void)refused("");
            return found.error();
        }
        for (const fs::path& relative : found.value()) {
            const fs::path from = folder_of(folders, p.part) / relative;
            if (!add(entry_name(p.part, relative), zip_source_file(zip.get(), from.c_str(), 0, -1),
                     p.part != BackupPart::takes))
                return refused(zip_strerror(zip.get()));
            ++files;
        }
    }
    if (files == 0) {
        zip.reset();
        return Error{"would be empty: there is nothing to back up yet.", file.string(), ""};
    }
    bool ended = false;
    struct Watch {
        const Progress& progress;
        bool& ended;
    } watch{progress, ended};
    if (progress) {
        (void)zip_register_progress_callback_with_state(
            zip.get(), 0.005,
            [](zip_t*, double done, void* to) {
                auto& w = *static_cast<Watch*>(to);
                w.ended = w.ended || !w.progress(done);
            },
            nullptr, &watch);
        (void)zip_register_cancel_callback_with_state(
            zip.get(), [](zip_t*, void* to) { return static_cast<Watch*>(to)->ended ? 1 : 0; }, nullptr,
            &watch);
    }
    if (zip_close(zip.get()) != 0) {
        if (!ended) return refused(zip_strerror(zip.get()));
        (void)refused("");
        return cancelled(file.string());
    }
    (void)zip.release();
    // Takes and settings are nobody else's business.
    if (chmod(partial.c_str(), 0600) != 0) return refused("its permissions can't be set");
    if (const int fd = open(partial.c_str(), O_RDONLY | O_CLOEXEC); fd >= 0) {
        (void)fsync(fd);
        close(fd);
    }
    std::error_code ec;
    fs::rename(partial, file, ec);
    if (ec) return refused(ec.message());
    return {};
}

Result<BackupContents> read_backup(const fs::path& file, const SetupFolders& folders,
                                   const Progress& progress) {
    const auto open = open_backup(file);
    if (!open.ok()) return open.error();
    return contents_of(open.value(), file, folders, progress);
}

Result<RestoreReport> restore_backup(const fs::path& file, const SetupFolders& folders,
                                     const BackupParts& parts, const std::string& version,
                                     const Progress& progress) {
    const auto open = open_backup(file);
    if (!open.ok()) return open.error();
    zip_t* zip = open.value().zip.get();
    const auto contents = contents_of(open.value(), file, folders, part_of(progress, 0.0, 0.3));
    if (!contents.ok()) return contents.error();
    RestoreReport out;
    out.problems = contents.value().problems;
    std::vector<const BackupItem*> wanted;
    BackupParts replaced;
    for (const BackupItem& item : contents.value().items) {
        if (!parts.contains(item.part) || item.state == BackupState::same) continue;
        if (item.part == BackupPart::takes && item.state == BackupState::different) {
            out.problems.push_back({"was left: another take of this name is here.",
                                    entry_name(item.part, item.path),
                                    "Rename that one, then restore again."});
            continue;
        }
        wanted.push_back(&item);
        if (item.state == BackupState::different) replaced.insert(item.part);
    }
    if (!replaced.empty()) {
        const fs::path folder = backup_folder(folders);
        if (const auto ec = create_folders(folder))
            return Error{"can't be created: " + ec.message() + ".", folder.string(), ""};
        std::string name = "before-restore-" + utc_now() + ".zip";
        std::ranges::replace(name, ' ', '-');
        std::ranges::replace(name, ':', '-');
        out.before = unique_path(folder / name);
        if (auto kept = write_backup(out.before, folders, replaced, version, part_of(progress, 0.3, 0.5));
            !kept.ok())
            return kept.error();
    }
    if (progress && !progress(0.5)) return cancelled(file.string());
    for (const BackupItem* item : wanted) {
        const auto done = restore_item(zip, *item, folder_of(folders, item->part) / item->path);
        if (done.ok())
            ++out.restored;
        else
            out.problems.push_back(done.error());
        // Half a restore would be worse than a whole one: from here on it is carried out.
        if (progress)
            (void)progress(0.5 +
                           0.5 * static_cast<double>(out.restored) / static_cast<double>(wanted.size()));
    }
    return out;
}

}  // namespace reed
