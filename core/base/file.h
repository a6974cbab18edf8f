// Reads and writes whole small files atomically.
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

/// Reads a file. Returns an error if it can't be read, is not a regular file, or is larger than `limit`
/// bytes. A writer that replaces the file meanwhile does no harm. Never blocks on pipes.
Result<std::string> read_file(const std::filesystem::path& path, size_t limit);

/// Writes a temporary file beside the target, flushes it to the disk and renames it: on any failure the
/// target has either the old or the new contents. Creates missing folders.
Result<void> write_file(const std::filesystem::path& path, const std::string& bytes);

/// Folders of the user by the XDG Base Directory Specification 0.8: the variable if it is an absolute path
/// (relative ones are ignored, "Environment variables"), otherwise the default below $HOME, or below the home
/// of the account.
std::filesystem::path user_data_folder();   ///< XDG_DATA_HOME, or ~/.local/share
std::filesystem::path user_state_folder();  ///< XDG_STATE_HOME, or ~/.local/state

/// Creates a folder and its missing parents; with mode 0700 below a private folder.
std::error_code create_folders(const std::filesystem::path& folder);
/// Makes a folder private while the program runs. It is created with mode 0700; if it exists, it and its
/// contents, four levels deep, are closed to other accounts. Files that this program creates in it are
/// private too. Links and files of other accounts are unchanged. Thread-safe.
std::error_code make_private(const std::filesystem::path& folder);
/// Mode for a new file: 0644, or 0600 below a private folder.
unsigned new_file_mode(const std::filesystem::path& file);

/// `wanted`, or the path with the lowest number after its name at which nothing exists, not even a dangling
/// link. `kinds`: extensions with which the name must be unused as well.
std::filesystem::path unique_path(const std::filesystem::path& wanted,
                                  std::span<const std::string_view> kinds = {});

/// A temporary file beside the target, with an unpredictable name, that replaces the target on commit() and
/// is removed otherwise. A link stays a link; the file that it points to is replaced. Independent of the
/// umask, other accounts can't write the file, nor read it in a private folder; otherwise a replaced file
/// keeps its mode.
class AtomicFileWriter {
  public:
    /// Returns an error if the folder is missing or not writable, or if the target exists and is not a
    /// writable regular file.
    static Result<AtomicFileWriter> begin(const std::filesystem::path& target);
    AtomicFileWriter(AtomicFileWriter&& other) noexcept;
    AtomicFileWriter& operator=(AtomicFileWriter&&) = delete;
    ~AtomicFileWriter();

    /// Open for writing; closed by commit().
    int descriptor() const { return fd_; }
    Result<void> write(const std::string& bytes);
    /// Flushes file and folder to the disk and replaces the target.
    Result<void> commit();

  private:
    AtomicFileWriter() = default;
    Error cannot_write(int code) const;
    std::filesystem::path told_, target_, partial_;
    int fd_ = -1;
};

/// Removes temporary files that crashed programs left in a folder and its subfolders, if they are older than
/// `age`.
void remove_stale_temporaries(const std::filesystem::path& folder,
                              std::chrono::seconds age = std::chrono::hours(1));

}  // namespace reed
