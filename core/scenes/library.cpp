#include "scenes/library.h"

#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <cstdio>
#include <ctime>
#include <functional>

#include "base/file.h"
#include "base/folded.h"

namespace reed {

std::string scene_file_stem(const std::string& name) {
    std::string out;
    for (const unsigned char c : name) {
        if (c < 128 && std::isalnum(c))
            out += static_cast<char>(std::tolower(c));
        else if (!out.empty() && out.back() != '-')
            out += '-';
    }
    while (!out.empty() && out.back() == '-') out.pop_back();
    return out.empty() ? "scene" : out;
}

SceneListing SceneLibrary::list() const {
    SceneListing out;
    std::error_code ec;
    auto entry = std::filesystem::directory_iterator(folder_, ec);
    // Names without a way to the files say nothing.
    if (!ec && ::access(folder_.c_str(), X_OK) != 0) ec = {errno, std::generic_category()};
    for (const auto end = std::filesystem::directory_iterator(); !ec && entry != end; entry.increment(ec)) {
        const auto& path = entry->path();
        if (path.extension() != ".json" || path.filename().string().front() == '.') continue;
        size_t digest = 0;
        SceneReading reading = load_scene(path.string(), &digest);
        if (reading.scene) {
            out.scenes.push_back({path, std::move(*reading.scene), reading.version, digest});
        } else {
            Error e = reading.problems.front();
            e.where = path.filename().string() + (e.where.empty() ? "" : ", " + e.where);
            out.unreadable.push_back(std::move(e));
        }
    }
    // A folder that is not there holds no scenes; one that can't be read is a trouble of its own.
    if (ec && ec != std::errc::no_such_file_or_directory) {
        out.folder_problem =
            Error{"the scenes can't be listed (" + ec.message() + ").", folder_.string(),
                  "Check the folder's permissions. Nothing is saved there until it can be read."};
    }
    std::sort(out.scenes.begin(), out.scenes.end(), [](const SceneEntry& a, const SceneEntry& b) {
        return folded(a.scene.name) < folded(b.scene.name);
    });
    return out;
}

std::filesystem::path SceneLibrary::path_for(const SceneListing& here, const std::string& name) const {
    if (const SceneEntry* entry = find_scene(here.scenes, name)) return entry->path;
    // Another scene, or a file that can't be read, may have the obvious file name already.
    return free_path(folder_ / (scene_file_stem(name) + ".json"));
}

const SceneEntry* find_scene(const std::vector<SceneEntry>& scenes, const std::string& name) {
    for (const auto& entry : scenes) {
        if (same_name(entry.scene.name, name)) return &entry;
    }
    return nullptr;
}

Result<void> SceneLibrary::keep_copy(const std::filesystem::path& file) const {
    const auto text = read_file(file, kMaxSceneBytes);
    if (!text.ok()) return text.error();
    return write_file(free_path(folder_ / "removed" / file.filename()), text.value());
}

/// By the name without its cases, as names are compared; names that make one file name share a folder no more
/// than that.
std::filesystem::path SceneLibrary::earlier_folder(const std::string& name) const {
    char number[24];
    std::snprintf(number, sizeof number, "-%08zx", std::hash<std::string>{}(folded(name)) & 0xffffffffU);
    return folder_ / "earlier" / (scene_file_stem(name).substr(0, 60) + number);
}

/// What is about to be written over. Of what was there it keeps the newest ones.
Result<void> SceneLibrary::keep_earlier(const SceneEntry& there) const {
    const auto text = read_file(there.path, kMaxSceneBytes);
    if (!text.ok()) return text.error();
    timespec now{};
    clock_gettime(CLOCK_REALTIME, &now);
    std::tm day{};
    localtime_r(&now.tv_sec, &day);
    char date[24], name[40];
    std::strftime(date, sizeof date, "%Y%m%d-%H%M%S", &day);
    std::snprintf(name, sizeof name, "%s-%09ld.json", date, now.tv_nsec);  // in the order of the names
    const auto folder = earlier_folder(there.scene.name);
    if (auto kept = write_file(free_path(folder / name), text.value()); !kept.ok()) return kept;
    std::vector<std::filesystem::path> all;
    std::error_code ec;
    for (std::filesystem::directory_iterator i(folder, ec), end; !ec && i != end; i.increment(ec)) {
        if (i->path().extension() == ".json") all.push_back(i->path());
    }
    std::ranges::sort(all);
    for (size_t i = 0; i + kMostEarlier < all.size(); ++i) std::filesystem::remove(all[i], ec);
    return {};
}

std::vector<EarlierState> SceneLibrary::earlier(const std::string& name) const {
    std::vector<EarlierState> out;
    std::error_code ec;
    for (std::filesystem::directory_iterator i(earlier_folder(name), ec), end; !ec && i != end;
         i.increment(ec)) {
        const std::string stem = i->path().stem().string();
        SceneReading reading = load_scene(i->path().string());
        if (i->path().extension() != ".json" || stem.size() < 15 || !reading.scene) continue;
        const std::string when = stem.substr(0, 4) + "-" + stem.substr(4, 2) + "-" + stem.substr(6, 2) + " " +
                                 stem.substr(9, 2) + ":" + stem.substr(11, 2) + ":" + stem.substr(13, 2);
        out.push_back({i->path(), when, std::move(*reading.scene)});
    }
    std::ranges::sort(out, std::greater<>(), &EarlierState::path);
    return out;
}

bool SceneLibrary::has_earlier(const std::string& name) const {
    std::error_code ec;
    return std::filesystem::is_directory(earlier_folder(name), ec);
}

void SceneLibrary::rename_earlier(const std::string& from, const std::string& to) const {
    if (same_name(from, to)) return;
    std::error_code ec;
    if (!std::filesystem::exists(earlier_folder(to), ec))
        std::filesystem::rename(earlier_folder(from), earlier_folder(to), ec);
}

Result<std::filesystem::path> SceneLibrary::save(const Scene& scene, Old old) const {
    if (scene.name.find_first_not_of(" \t") == std::string::npos) {
        return Error{"a scene needs a name.", "", "Type one, such as \"Evening\"."};
    }
    if (characters(scene.name) > kMaxSceneName) {
        return Error{"the name is longer than 80 characters.", "", "Shorten it."};
    }
    const auto problems = desk_problems(scene.desk);
    if (!problems.empty()) return problems.front();
    const SceneListing here = list();
    if (here.folder_problem) return *here.folder_problem;
    // What could not be read again is not written over what can.
    const std::string text = write_scene(scene);
    if (const SceneReading again = read_scene(text); !again.scene) {
        Error e = again.problems.front();
        e.what = "it can't be saved, because it could not be read again: " + e.what;
        return e;
    }
    const auto path = path_for(here, scene.name);
    const SceneEntry* there = find_scene(here.scenes, scene.name);
    if (there != nullptr && (old == Old::kept || there->version < kSceneVersion)) {
        if (auto kept = keep_copy(path); !kept.ok()) return kept.error();
    }
    // Only what is another one: saving twice makes no earlier state.
    if (there != nullptr && !(there->scene.desk == scene.desk)) {
        if (auto kept = keep_earlier(*there); !kept.ok()) return kept.error();
    }
    if (auto written = write_file(path, text); !written.ok()) return written.error();
    return path;
}

Result<void> SceneLibrary::remove(const std::string& name) const {
    const SceneListing here = list();
    if (here.folder_problem) return *here.folder_problem;
    for (const auto& entry : here.scenes) {
        if (!same_name(entry.scene.name, name)) continue;
        const auto bin = folder_ / "removed";
        std::error_code ec;
        std::filesystem::create_directories(bin, ec);
        if (!ec) std::filesystem::rename(entry.path, free_path(bin / entry.path.filename()), ec);
        if (ec) return Error{"it can't be removed (" + ec.message() + ").", entry.path.string(), ""};
        return {};
    }
    return Error{"there is no scene of this name.", name, ""};
}

Result<void> SceneLibrary::fill_from(const std::filesystem::path& other) const {
    const SceneListing here = list();
    if (!here.scenes.empty() || !here.unreadable.empty() || here.folder_problem) return {};
    for (const auto& entry : SceneLibrary(other).list().scenes) {
        if (auto saved = save(entry.scene); !saved.ok()) return saved.error();
    }
    return {};
}

}  // namespace reed
