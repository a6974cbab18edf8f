// Scenes together in one file, to carry them along: a zip of scene files.
#pragma once

#include <filesystem>
#include <vector>

#include "scenes/scene.h"

namespace reed {

/// Writes `scenes` as a zip, each as a file named after it; all or nothing. Fails with what the disk says.
Result<void> write_scene_archive(const std::filesystem::path& path, const std::vector<Scene>& scenes);

struct ArchiveReading {
    std::vector<Scene> scenes;    ///< in the archive's order
    std::vector<Error> problems;  ///< what is in it that can't be used; `where` is the name in the archive
};

/// Most that is read of an archive: entries, and bytes of all of them unpacked.
inline constexpr int kMaxArchivedFiles = 2000;
inline constexpr size_t kMostArchivedBytes = 100'000'000;

/// Reads every scene of a zip. Names in it are only shown, never used as paths. An entry
/// that is not a scene is a problem; so is one that unpacks to more than the limit of a scene, which is not
/// unpacked further. Returns an error if the file is not a zip, has more than kMaxArchivedFiles entries, or
/// more than kMostArchivedBytes in all.
Result<ArchiveReading> read_scene_archive(const std::filesystem::path& path);

}  // namespace reed
