// Whole small files: read with a limit, written all or nothing.
#pragma once

#include <cstddef>
#include <filesystem>
#include <string>

#include "base/result.h"

namespace reed {

/// The file's bytes. Fails when it can't be read, is not a regular file or is larger than `limit` bytes.
Result<std::string> read_file(const std::filesystem::path& path, size_t limit);

/// Writes beside the target, flushes to the disk, then renames: whatever goes wrong, the target holds
/// either the old or the new contents. Creates missing folders.
Result<void> write_file(const std::filesystem::path& path, const std::string& bytes);

/// A name beside `path` for writing something that replaces it when complete.
std::filesystem::path partial_path(const std::filesystem::path& path);

}  // namespace reed
