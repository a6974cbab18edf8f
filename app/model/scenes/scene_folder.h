// The folder of scenes as the thread sees it that waits for the disk: what is ours there, and what others
// wrote.
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

/// The scenes as they are on the disk, and those of them that other programs have written since the last
/// time.
struct SceneFolderChanges {
    SceneListing now;
    std::set<std::string> others;
};

/// One thread has it: that of the errands.
struct SceneFolder {
    explicit SceneFolder(std::filesystem::path folder) : library(std::move(folder)) {}
    struct Written {
        std::filesystem::path path;
        bool kept = false;  // what was there is in "removed"
    };

    SceneLibrary library;
    std::map<std::string, size_t> seen, ours;  // digests by name without cases: at the last look, as written

    bool isOurs(const SceneEntry& entry) const {
        const auto written = ours.find(case_folded(entry.scene.name));
        return written != ours.end() && written->second == entry.digest;
    }
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
    /// Another program, or another hand, has written it since it was `known`.
    bool foreign(const std::string& name, size_t known) const {
        const SceneListing now = library.list();
        const SceneEntry* there = find_scene(now.scenes, name);
        return there != nullptr && there->digest != known && !isOurs(*there);
    }
    Result<Written> write(const Scene& scene, size_t known, bool keep) {
        const bool kept = keep || foreign(scene.name, known);
        const auto file = library.save(scene, kept ? SceneLibrary::Old::kept : SceneLibrary::Old::replaced);
        if (!file.ok()) return file.error();
        own({scene.name});
        return Written{file.value(), kept};
    }
    /// What is there under these names was written from here.
    void own(const std::vector<std::string>& names) {
        const SceneListing now = library.list();
        for (const std::string& name : names) {
            if (const SceneEntry* there = find_scene(now.scenes, name))
                ours[case_folded(name)] = there->digest;
        }
    }
};

}  // namespace reed::ui
