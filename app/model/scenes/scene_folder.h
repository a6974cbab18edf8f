// The folder of scenes, as the worker thread of SceneManager uses it.
#pragma once

#include <filesystem>
#include <map>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "base/case_folding.h"
#include "scenes/library.h"

namespace reed::ui {

/// The scenes on the disk, and the names (case-folded) of those that another program has written since the
/// last call.
struct SceneFolderChanges {
    SceneListing now;
    std::set<std::string> others;
};

/// Knows which files were written by this program. Used by one thread at a time.
struct SceneFolder {
    explicit SceneFolder(std::filesystem::path folder) : library(std::move(folder)) {}
    struct Written {
        std::filesystem::path path;
        bool kept = false;  // the previous file was moved to "removed"
    };

    SceneLibrary library;
    std::map<std::string, size_t> seen,
        ours;  // digests by case-folded name: at the last news(), as written here

    /// Whether the file has the content that this program wrote last.
    bool isOurs(const SceneEntry& entry) const {
        const auto written = ours.find(case_folded(entry.scene.name));
        return written != ours.end() && written->second == entry.digest;
    }
    /// Reads the folder.
    SceneFolderChanges news() {
        SceneFolderChanges out{library.list(), {}};
        std::map<std::string, size_t> now;
        for (const SceneEntry& entry : out.now.scenes) {
            std::string name = case_folded(entry.scene.name);
            const auto before = seen.find(name);
            if (before != seen.end() && before->second != entry.digest && !isOurs(entry))
                out.others.insert(name);
            now.emplace(std::move(name), entry.digest);
        }
        seen = std::move(now);
        return out;
    }
    /// Whether the file has been changed from outside since its digest was `known`.
    bool foreign(const std::string& name, size_t known) const {
        const SceneListing now = library.list();
        const SceneEntry* there = find_scene(now.scenes, name);
        return there != nullptr && there->digest != known && !isOurs(*there);
    }
    /// Writes a scene. The previous file is moved to "removed" if `keep`, or if it was changed from outside.
    Result<Written> write(const Scene& scene, size_t known, bool keep) {
        const bool kept = keep || foreign(scene.name, known);
        const auto file = library.save(scene, kept ? SceneLibrary::Old::kept : SceneLibrary::Old::replaced);
        if (!file.ok()) return file.error();
        own({scene.name});
        return Written{file.value(), kept};
    }
    /// Marks the files of these scenes as written by this program.
    void own(const std::vector<std::string>& names) {
        const SceneListing now = library.list();
        for (const std::string& name : names) {
            if (const SceneEntry* there = find_scene(now.scenes, name))
                ours[case_folded(name)] = there->digest;
        }
    }
};

}  // namespace reed::ui
