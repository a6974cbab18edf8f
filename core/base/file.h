// Whole small files: read with a limit, written all or nothing.
#pragma once

#include <chrono>
#include <cstddef>
#include <filesystem>
#include <span>
#include <string>
#include <string_view>
#include <system_error>

#include "base/result.h"

namespace reed {

/// The file's bytes. Fails when it can't be read, is not a regular file or is larger than `limit` bytes.
/// Opened once, so a writer that replaces it meanwhile does no harm; never waits (for the other end of a
/// pipe, say).
Result<std::string> read_file(const std::filesystem::path& path, size_t limit);

/// Writes beside the target, flushes to the disk, then renames: whatever goes wrong, the target holds
/// either the old or the new contents. Creates missing folders.
Result<void> write_file(const std::filesystem::path& path, const std::string& bytes);

/// The user's own folders by the XDG Base Directory Specification 0.8: the variable where it is set to an
/// absolute path ("Environment variables": relative ones are ignored), else the default below $HOME, or below
/// the account's home where that is not set.
std::filesystem::path user_data_folder();   ///< XDG_DATA_HOME, or ~/.local/share
std::filesystem::path user_state_folder();  ///< XDG_STATE_HOME, or ~/.local/state

/// Creates what is missing of a folder's path; below a private folder for this account alone.
std::error_code create_folders(const std::filesystem::path& folder);
/// Makes a folder private for as long as the program runs: it is created for this account alone (mode 0700),
/// or it and the files and folders in it, four levels deep, are closed to others, and what this program
/// creates in it is for this account alone. Links and what belongs to somebody else are left alone.
/// Thread-safe.
std::error_code make_private(const std::filesystem::path& folder);
/// Mode for a new file: 0644, or 0600 below a private folder.
unsigned new_file_mode(const std::filesystem::path& file);

/// A path beside `wanted` at which nothing is yet, not even a link that leads nowhere: with a number at the
/// end of its name where it is taken. `kinds`: extensions with which the name must be free as well.
std::filesystem::path unique_path(const std::filesystem::path& wanted,
                                  std::span<const std::string_view> kinds = {});

/// What replaces a file when it is complete: written under a name of its own beside the target that nobody
/// can guess or have made before, removed again unless commit() succeeds. A target that is a link stays one;
/// what it points to is replaced. Whatever the umask, others never get to write it, nor to read it where its
/// folder is closed to them; a file that is replaced keeps its mode otherwise.
class AtomicFileWriter {
  public:
    /// Fails when the folder is missing or refuses, or the target is there and not a regular file we may
    /// write.
    static Result<AtomicFileWriter> begin(const std::filesystem::path& target);
    AtomicFileWriter(AtomicFileWriter&& other) noexcept;
    AtomicFileWriter& operator=(AtomicFileWriter&&) = delete;
    ~AtomicFileWriter();

    /// Open for writing; closed by commit().
    int descriptor() const { return fd_; }
    Result<void> write(const std::string& bytes);
    /// Flushes file and folder to the disk and puts it in the target's place.
    Result<void> commit();

  private:
    AtomicFileWriter() = default;
    Error cannot_write(int code) const;
    std::filesystem::path told_, target_, partial_;
    int fd_ = -1;
};

/// Removes what unfinished replacements of crashed programs left in a folder and those in it, when it was
/// last written before `age`.
void remove_stale_temporaries(const std::filesystem::path& folder,
                              std::chrono::seconds age = std::chrono::hours(1));

}  // namespace reed
