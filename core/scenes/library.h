// The folder in which scenes are kept: one file each.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "scenes/scene.h"

namespace reed {

struct SceneEntry {
    std::filesystem::path path;
    Scene scene;
    int version = 0;    ///< of the file's format
    size_t digest = 0;  ///< of the file's bytes: another one is another file
};

struct SceneListing {
    std::vector<SceneEntry> scenes;       ///< in the person's order, then by name
    std::vector<Error> unreadable;        ///< files that are there but can't be used; they are left alone
    std::optional<Error> folder_problem;  ///< the folder itself can't be read
};

/// A scene as it was before it was saved anew.
struct SceneRevision {
    std::filesystem::path path;
    std::string when;  ///< "2026-11-26 21:05:33", local time at which the next one took its place
    Scene scene;
};

/// What becomes of a scene that comes in under a name that is there already.
enum class ConflictPolicy { keep_both, replace, leave_out };

/// Saves, lists and removes scenes in one folder. Names are unique, compared without regard to case. What has
/// not changed since it was last read is not read again. One thread.
class SceneLibrary {
  public:
    explicit SceneLibrary(std::filesystem::path folder) : folder_(std::move(folder)) {}

    const std::filesystem::path& folder() const { return folder_; }
    SceneListing list() const;

    /// The order in which they are listed from now on; those that are not named come after, by name. Kept
    /// beside the scenes in "order.txt", a name a line.
    Result<void> set_order(const std::vector<std::string>& names) const;

    /// What becomes of the scene of the same name that is there: written over, or kept in "removed" as well.
    /// A file of an older version is always kept, as older programs can't read the new one; and so is one of
    /// a newer version, which may have held more than is known here.
    enum class Old { replaced, kept };
    /// Saves under the scene's name, replacing the scene of that name. Fails on an empty or overlong name,
    /// an invalid chain, or a disk that refuses; what was there before is then still there.
    Result<std::filesystem::path> save(const Scene& scene, Old old = Old::replaced) const;

    /// What a scene was before it was saved, the newest first; those that can't be read are left out. Kept
    /// beside the scenes in "earlier", kMostEarlier a scene.
    std::vector<SceneRevision> earlier(const std::string& name) const;
    static constexpr size_t kMostEarlier = 20;
    /// There are some; without reading them.
    bool has_earlier(const std::string& name) const;
    /// The place in the order and the earlier states of `from` belong to `to` from now on.
    void renamed(const std::string& from, const std::string& to) const;

    /// Moves the file into the folder's "removed" sub-folder, so that nothing is ever lost by a slip.
    Result<void> remove(const std::string& name) const;

    /// Saves scenes that come from elsewhere; of those that are written over a copy is kept in "removed".
    /// Gives the names under which they were saved, in their order; one that was left out has an empty one.
    /// Stops at the first that can't be saved.
    Result<std::vector<std::string>> take_in(const std::vector<Scene>& scenes, ConflictPolicy clash) const;

    /// Copies the scenes of another folder, if this one holds no scene yet.
    Result<void> fill_from(const std::filesystem::path& other) const;

  private:
    std::filesystem::path path_for(const SceneListing& here, const std::string& name) const;
    Result<std::filesystem::path> save_among(SceneListing& here, const Scene& scene, Old old) const;
    Result<void> keep_copy(const std::filesystem::path& file) const;
    Result<void> keep_earlier(const SceneEntry& there) const;
    std::filesystem::path earlier_folder(const std::string& name) const;
    std::vector<std::string> order() const;

    /// A file as it was when it was read.
    struct Known {
        std::uint64_t device = 0, node = 0;
        std::int64_t size = 0, seconds = 0, nanoseconds = 0;
        SceneReading reading;
        size_t digest = 0;
    };
    void read(const std::vector<std::filesystem::path>& found) const;

    std::filesystem::path folder_;
    mutable std::map<std::filesystem::path, Known> known_;
};

/// Why a scene can't be saved whatever the disk does: an empty or overlong name, an invalid chain.
std::optional<Error> scene_problem(const Scene& scene);

/// The scene of this name, compared without regard to case; null when there is none.
const SceneEntry* find_scene(const std::vector<SceneEntry>& scenes, const std::string& name);

/// A file name for a scene's name: lower-case letters, digits and dashes. Never empty.
std::string scene_file_stem(const std::string& name);

}  // namespace reed
