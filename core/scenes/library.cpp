#include "scenes/library.h"

#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cctype>
#include <cerrno>
#include <cstdio>
#include <ctime>
#include <functional>
#include <sstream>
#include <thread>

#include "base/case_folding.h"
#include "base/file.h"

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

namespace {

constexpr const char* kOrder = "order.txt";

/// `name` with a number that no scene has yet, shortened where it must be.
std::string free_name(const std::vector<SceneEntry>& scenes, const std::string& name) {
    for (int n = 2;; ++n) {
        const std::string number = " " + std::to_string(n);
        std::string shorter = name;
        while (characters(shorter) + number.size() > kMaxSceneName) {
            do shorter.pop_back();
            while (!shorter.empty() && (static_cast<unsigned char>(shorter.back()) & 0xc0U) == 0x80U);
        }
        if (find_scene(scenes, shorter + number) == nullptr) return shorter + number;
    }
}

}  // namespace

SceneListing SceneLibrary::list() const {
    SceneListing out;
    std::vector<std::filesystem::path> found;
    std::error_code ec;
    auto entry = std::filesystem::directory_iterator(folder_, ec);
    // Names without a way to the files say nothing.
    if (!ec && ::access(folder_.c_str(), X_OK) != 0) ec = {errno, std::generic_category()};
    for (const auto end = std::filesystem::directory_iterator(); !ec && entry != end; entry.increment(ec)) {
        const auto& path = entry->path();
        if (path.extension() != ".json" || path.filename().string().front() == '.') continue;
        found.push_back(path);
    }
    std::ranges::sort(found);
    std::erase_if(known_, [&](const auto& known) { return !std::ranges::binary_search(found, known.first); });
    read(found);
    for (const auto& [path, known] : known_) {
        if (known.reading.scene) {
            out.scenes.push_back({path, *known.reading.scene, known.reading.version, known.digest});
        } else {
            Error e = known.reading.problems.front();
            e.where = path.filename().string() + (e.where.empty() ? "" : ", " + e.where);
            out.unreadable.push_back(std::move(e));
        }
    }
    // A missing folder has no scenes; a folder that can't be read is an error.
    if (ec && ec != std::errc::no_such_file_or_directory) {
        out.folder_problem =
            Error{"can't be listed: " + ec.message() + ".", folder_.string(),
                  "Check the folder's permissions. Nothing is saved there until it can be read."};
    }
    // By place in the person's order, then by name.
    std::map<std::string, size_t> places;
    for (const std::string& name : order()) places.emplace(case_folded(name), places.size());
    std::vector<std::pair<std::pair<size_t, std::string>, size_t>> keys;
    for (size_t i = 0; i < out.scenes.size(); ++i) {
        std::string name = case_folded(out.scenes[i].scene.name);
        const auto place = places.find(name);
        keys.push_back({{place == places.end() ? places.size() : place->second, std::move(name)}, i});
    }
    std::ranges::sort(keys);
    std::vector<SceneEntry> sorted;
    sorted.reserve(keys.size());
    for (const auto& [key, i] : keys) sorted.push_back(std::move(out.scenes[i]));
    out.scenes = std::move(sorted);
    return out;
}

/// Reads what has changed, on as many threads as there are processors where it is much. A file whose times
/// are too new to tell another change of the same moment is read again the next time.
void SceneLibrary::read(const std::vector<std::filesystem::path>& found) const {
    struct Changed {
        const std::filesystem::path* path;
        struct stat now;
        bool there;
        Known* known;
    };
    std::vector<Changed> changed;
    for (const auto& path : found) {
        Changed c{&path, {}, false, &known_[path]};
        c.there = ::stat(path.c_str(), &c.now) == 0;
        const Known& k = *c.known;
        if (!c.there || k.node != c.now.st_ino || k.device != c.now.st_dev || k.size != c.now.st_size ||
            k.seconds != c.now.st_mtim.tv_sec || k.nanoseconds != c.now.st_mtim.tv_nsec || k.seconds <= 0)
            changed.push_back(c);
    }
    timespec clock{};
    clock_gettime(CLOCK_REALTIME, &clock);
    constexpr std::int64_t kSettled = 2;  // seconds, more than any file system's own
    std::atomic<size_t> next{0};
    const auto work = [&] {
        for (size_t i = next++; i < changed.size(); i = next++) {
            const auto& [path, now, there, known] = changed[i];
            *known = {};
            known->reading = load_scene(path->string(), &known->digest);
            // One that can't be read may be by other rights alone.
            if (!there || !known->reading.scene || now.st_mtim.tv_sec + kSettled >= clock.tv_sec) continue;
            known->device = now.st_dev;
            known->node = now.st_ino;
            known->size = now.st_size;
            known->seconds = now.st_mtim.tv_sec;
            known->nanoseconds = now.st_mtim.tv_nsec;
        }
    };
    constexpr size_t kAThread = 32;  // files that are worth one
    const size_t threads = std::min<size_t>(std::thread::hardware_concurrency(), changed.size() / kAThread);
    std::vector<std::jthread> others;
    while (others.size() + 1 < threads) others.emplace_back(work);
    work();
}

std::vector<std::string> SceneLibrary::order() const {
    std::vector<std::string> out;
    const auto text = read_file(folder_ / kOrder, kMaxSceneBytes);
    if (!text.ok()) return out;
    std::istringstream lines(text.value());
    for (std::string line; std::getline(lines, line);) {
        if (!line.empty()) out.push_back(line);
    }
    return out;
}

Result<void> SceneLibrary::set_order(const std::vector<std::string>& names) const {
    std::string text;
    for (std::string name : names) {
        std::ranges::replace(name, '\n', ' ');
        text.append(name).append(1, '\n');
    }
    return write_file(folder_ / kOrder, text);
}

std::filesystem::path SceneLibrary::path_for(const SceneListing& here, const std::string& name) const {
    if (const SceneEntry* entry = find_scene(here.scenes, name)) return entry->path;
    // Another scene, or a file that can't be read, may have the obvious file name already.
    return unique_path(folder_ / (scene_file_stem(name) + ".json"));
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
    return write_file(unique_path(folder_ / "removed" / file.filename()), text.value());
}

/// By the name without its cases, as names are compared; names that make one file name share a folder no more
/// than that.
std::filesystem::path SceneLibrary::earlier_folder(const std::string& name) const {
    char number[24];
    std::snprintf(number, sizeof number, "-%08zx", std::hash<std::string>{}(case_folded(name)) & 0xffffffffU);
    return folder_ / "earlier" / (scene_file_stem(name).substr(0, 60) + number);
}

/// Keeps a copy of a file before it is overwritten; only the newest copies are kept.
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
    if (auto kept = write_file(unique_path(folder / name), text.value()); !kept.ok()) return kept;
    std::vector<std::filesystem::path> all;
    std::error_code ec;
    for (std::filesystem::directory_iterator i(folder, ec), end; !ec && i != end; i.increment(ec)) {
        if (i->path().extension() == ".json") all.push_back(i->path());
    }
    std::ranges::sort(all);
    for (size_t i = 0; i + kMostEarlier < all.size(); ++i) std::filesystem::remove(all[i], ec);
    return {};
}

std::vector<SceneRevision> SceneLibrary::earlier(const std::string& name) const {
    std::vector<SceneRevision> out;
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
    std::ranges::sort(out, std::greater<>(), &SceneRevision::path);
    return out;
}

bool SceneLibrary::has_earlier(const std::string& name) const {
    std::error_code ec;
    return std::filesystem::is_directory(earlier_folder(name), ec);
}

void SceneLibrary::renamed(const std::string& from, const std::string& to) const {
    const std::vector<std::string> before = order();
    if (std::ranges::any_of(before, [&](const auto& name) { return same_name(name, from); })) {
        std::vector<std::string> names;
        for (const std::string& name : before) {
            if (same_name(name, from))
                names.push_back(to);
            else if (!same_name(name, to))
                names.push_back(name);
        }
        (void)set_order(names);  // another order is no loss
    }
    if (same_name(from, to)) return;
    std::error_code ec;
    if (!std::filesystem::exists(earlier_folder(to), ec))
        std::filesystem::rename(earlier_folder(from), earlier_folder(to), ec);
}

std::optional<Error> scene_problem(const Scene& scene) {
    if (scene.name.find_first_not_of(" \t") == std::string::npos)
        return Error{"A scene needs a name.", "", "Enter one, e.g. “Evening”."};
    if (characters(scene.name) > kMaxSceneName)
        return Error{"The name is longer than 80 characters.", "", "Shorten it."};
    const auto problems = mixer_problems(scene.desk);
    return problems.empty() ? std::nullopt : std::optional(problems.front());
}

Result<std::filesystem::path> SceneLibrary::save(const Scene& scene, Old old) const {
    SceneListing here = list();
    return save_among(here, scene, old);
}

/// `here` is what is there, and is kept so.
Result<std::filesystem::path> SceneLibrary::save_among(SceneListing& here, const Scene& scene,
                                                       Old old) const {
    if (const auto problem = scene_problem(scene)) return *problem;
    if (here.folder_problem) return *here.folder_problem;
    // What could not be read again is not written over what can.
    const std::string text = write_scene(scene);
    if (const SceneReading again = read_scene(text); !again.scene) {
        Error e = again.problems.front();
        e.what = "can't be saved, because reading it again failed: " + e.reason();
        return e;
    }
    const auto path = path_for(here, scene.name);
    const auto there = std::ranges::find_if(
        here.scenes, [&](const SceneEntry& entry) { return same_name(entry.scene.name, scene.name); });
    const bool replaces = there != here.scenes.end();
    if (replaces && (old == Old::kept || there->version != kSceneVersion)) {
        if (auto kept = keep_copy(path); !kept.ok()) return kept.error();
    }
    // Only if it differs: saving twice creates no earlier version.
    if (replaces && !(there->scene.desk == scene.desk)) {
        if (auto kept = keep_earlier(*there); !kept.ok()) return kept.error();
    }
    if (auto written = write_file(path, text); !written.ok()) return written.error();
    SceneEntry entry{path, scene, std::max(scene.version, kSceneVersion), std::hash<std::string>{}(text)};
    if (replaces)
        *there = std::move(entry);
    else
        here.scenes.push_back(std::move(entry));
    return path;
}

Result<void> SceneLibrary::remove(const std::string& name) const {
    const SceneListing here = list();
    if (here.folder_problem) return *here.folder_problem;
    for (const auto& entry : here.scenes) {
        if (!same_name(entry.scene.name, name)) continue;
        const auto bin = folder_ / "removed";
        std::error_code ec = create_folders(bin);
        if (!ec) std::filesystem::rename(entry.path, unique_path(bin / entry.path.filename()), ec);
        if (ec) return Error{"can't be removed: " + ec.message() + ".", entry.path.string(), ""};
        return {};
    }
    return Error{"doesn't exist.", name, ""};
}

Result<std::vector<std::string>> SceneLibrary::take_in(const std::vector<Scene>& scenes,
                                                       ConflictPolicy clash) const {
    std::vector<std::string> out;
    SceneListing here = list();
    for (Scene scene : scenes) {
        if (find_scene(here.scenes, scene.name) != nullptr) {
            if (clash == ConflictPolicy::leave_out) {
                out.emplace_back();
                continue;
            }
            if (clash == ConflictPolicy::keep_both) scene.name = free_name(here.scenes, scene.name);
        }
        if (auto saved = save_among(here, scene, Old::kept); !saved.ok()) return saved.error();
        out.push_back(scene.name);
    }
    return out;
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
