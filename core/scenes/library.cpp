#include "scenes/library.h"

#include <algorithm>
#include <cctype>

#include "base/file.h"

namespace reed {
namespace {

std::string folded(const std::string& name) {
    std::string out = name;
    std::transform(out.begin(), out.end(), out.begin(), [](unsigned char c) { return std::tolower(c); });
    return out;
}

}  // namespace

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
    for (const auto& entry : std::filesystem::directory_iterator(folder_, ec)) {
        const auto& path = entry.path();
        if (path.extension() != ".json" || path.filename().string().front() == '.') continue;
        SceneReading reading = load_scene(path.string());
        if (reading.scene) {
            out.scenes.push_back({path, std::move(*reading.scene)});
        } else {
            Error e = reading.problems.front();
            e.where = path.filename().string() + (e.where.empty() ? "" : ", " + e.where);
            out.unreadable.push_back(std::move(e));
        }
    }
    std::sort(out.scenes.begin(), out.scenes.end(), [](const SceneEntry& a, const SceneEntry& b) {
        return folded(a.scene.name) < folded(b.scene.name);
    });
    return out;
}

std::filesystem::path SceneLibrary::path_for(const std::string& name) const {
    for (const auto& entry : list().scenes) {
        if (folded(entry.scene.name) == folded(name)) return entry.path;
    }
    // Another scene, or a file that can't be read, may have the obvious file name already.
    const std::string stem = scene_file_stem(name);
    std::filesystem::path path = folder_ / (stem + ".json");
    for (int n = 2; std::filesystem::exists(path); ++n)
        path = folder_ / (stem + "-" + std::to_string(n) + ".json");
    return path;
}

Result<std::filesystem::path> SceneLibrary::save(const Scene& scene) const {
    if (scene.name.find_first_not_of(" \t") == std::string::npos) {
        return Error{"a scene needs a name.", "", "Type one, such as \"Evening\"."};
    }
    if (scene.name.size() > kMaxSceneName) {
        return Error{"the name is longer than 80 characters.", "", "Shorten it."};
    }
    const auto problems = chain_problems(scene.chain);
    if (!problems.empty()) return problems.front();
    const auto path = path_for(scene.name);
    if (auto written = write_file(path, write_scene(scene)); !written.ok()) return written.error();
    return path;
}

Result<void> SceneLibrary::remove(const std::string& name) const {
    for (const auto& entry : list().scenes) {
        if (folded(entry.scene.name) != folded(name)) continue;
        const auto bin = folder_ / "removed";
        std::error_code ec;
        std::filesystem::create_directories(bin, ec);
        auto target = bin / entry.path.filename();
        for (int n = 2; std::filesystem::exists(target); ++n) {
            target = bin / (entry.path.stem().string() + "-" + std::to_string(n) + ".json");
        }
        std::filesystem::rename(entry.path, target, ec);
        if (ec) return Error{"it can't be removed (" + ec.message() + ").", entry.path.string(), ""};
        return {};
    }
    return Error{"there is no scene of this name.", name, ""};
}

Result<void> SceneLibrary::fill_from(const std::filesystem::path& other) const {
    const SceneListing here = list();
    if (!here.scenes.empty() || !here.unreadable.empty()) return {};
    for (const auto& entry : SceneLibrary(other).list().scenes) {
        if (auto saved = save(entry.scene); !saved.ok()) return saved.error();
    }
    return {};
}

}  // namespace reed
