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
    int version = 0;    ///< format version of the file
    size_t digest = 0;  ///< hash of the contents
};

struct SceneListing {
    std::vector<SceneEntry> scenes;       ///< in the user's order, then by name
    std::vector<Error> unreadable;        ///< files that can't be read; they are left unchanged
    std::optional<Error> folder_problem;  ///< the folder can't be read
};

/// A previous version of a scene.
struct SceneRevision {
    std::filesystem::path path;
    std::string when;  ///< "2026-11-26 21:05:33", local time at which it was replaced
    Scene scene;
};

/// What to do with an imported scene whose name exists.
enum class ConflictPolicy { keep_both, replace, leave_out };

/// Saves, lists and removes scenes in one folder. Names are unique, ignoring case. Unchanged files are not
/// read again. One thread only.
class SceneLibrary {
  public:
    explicit SceneLibrary(std::filesystem::path folder) : folder_(std::move(folder)) {}

    const std::filesystem::path& folder() const { return folder_; }
    SceneListing list() const;

    /// Sets the order of the list; scenes that are not named follow by name. Stored in "order.txt", one name
    /// per line.
    Result<void> set_order(const std::vector<std::string>& names) const;

    /// What to do with an existing scene of the same name: overwrite it, or also move it to "removed". Files
    /// of older and newer versions are always moved there.
    enum class Old { replaced, kept };
    /// Saves the scene, replacing the one with the same name. Returns an error for an empty or long name, an
    /// invalid chain or a failed write; the existing file is then unchanged.
    Result<std::filesystem::path> save(const Scene& scene, Old old = Old::replaced) const;

    /// Previous versions of a scene, newest first, without unreadable ones. Stored in "earlier", at most
    /// kMostEarlier per scene.
    std::vector<SceneRevision> earlier(const std::string& name) const;
    static constexpr size_t kMostEarlier = 20;
    /// Whether there are any; does not read them.
    bool has_earlier(const std::string& name) const;
    /// Moves position and previous versions of `from` to `to`.
    void renamed(const std::string& from, const std::string& to) const;

    /// Moves the file to the sub-folder "removed".
    Result<void> remove(const std::string& name) const;

    /// Imports scenes; replaced files are moved to "removed". Returns the names under which they were saved,
    /// in order; empty for skipped ones. Stops at the first error.
    Result<std::vector<std::string>> take_in(const std::vector<Scene>& scenes, ConflictPolicy clash) const;

    /// Copies the scenes of another folder if this one has none.
    Result<void> fill_from(const std::filesystem::path& other) const;

  private:
    std::filesystem::path path_for(const SceneListing& here, const std::string& name) const;
    Result<std::filesystem::path> save_among(SceneListing& here, const Scene& scene, Old old) const;
    Result<void> keep_copy(const std::filesystem::path& file) const;
    Result<void> keep_earlier(const SceneEntry& there) const;
    std::filesystem::path earlier_folder(const std::string& name) const;
    std::vector<std::string> order() const;

    /// State of a file when it was read.
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

/// Why a scene can't be saved: an empty or long name, an invalid chain.
std::optional<Error> scene_problem(const Scene& scene);

/// The scene with this name, ignoring case; nullptr if not found.
const SceneEntry* find_scene(const std::vector<SceneEntry>& scenes, const std::string& name);

/// File name for the name of a scene: lower-case letters, digits and dashes; never empty.
std::string scene_file_stem(const std::string& name);

}  // namespace reed
