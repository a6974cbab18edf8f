// Takes: recordings of unprocessed input.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "base/sound_file.h"
#include "engine/render.h"

namespace reed {

inline constexpr double kLongestTake = 1800.0;  ///< seconds

/// Metadata, stored as tags of the file.
struct TakeNotes {
    std::string name;    ///< name by the user; tag title
    std::string strip;   ///< name of the strip; tag album
    std::string device;  ///< tag artist
    std::string date;    ///< ISO 8601, local time; tag date
    std::string notes;   ///< tag comment

    bool operator==(const TakeNotes&) const = default;
};

struct Take {
    std::filesystem::path path;
    TakeNotes notes;
    SoundInfo info;
    std::string problem;  ///< why it can't be used; empty if it can

    double seconds() const { return static_cast<double>(info.frames) / std::max(1.0, info.sample_rate); }
};

/// The folder of takes. Files are written atomically; removed and replaced files are moved to the subfolder
/// `removed` and can be restored. Thread-safe, except for changes of the same take.
class TakeStore {
  public:
    explicit TakeStore(std::filesystem::path folder) : folder_(std::move(folder)) {}
    const std::filesystem::path& folder() const { return folder_; }

    /// Adds a recording as 24-bit FLAC, or as 32-bit float WAV if it exceeds full scale. An empty name
    /// becomes the date.
    Result<Take> keep(const AudioBuffer& sound, double sample_rate, TakeNotes notes) const;
    /// Imports an audio file of one or two channels, 44.1 to 192 kHz, at most kLongestTake.
    Result<Take> import(const std::filesystem::path& file, const Progress& progress = {}) const;
    /// The same with these notes, for recordings.
    Result<Take> import(const std::filesystem::path& file, TakeNotes notes,
                        const Progress& progress = {}) const;
    /// All takes, newest first; unusable files are included with their problem.
    std::vector<Take> list() const;
    /// Finds a take by name or file name.
    Result<Take> find(const std::string& name) const;

    /// Trims a take to `count` frames from `first`; renames a take. Both write a new file and move the old
    /// one to `removed`.
    Result<Take> trim(const Take& take, std::int64_t first, std::int64_t count,
                      const Progress& progress = {}) const;
    Result<Take> rename(const Take& take, const std::string& name, const Progress& progress = {}) const;
    /// Removes a take. Returns its path in `removed`, for bring_back().
    Result<std::filesystem::path> remove(const Take& take) const;
    Result<Take> bring_back(const std::filesystem::path& removed) const;

    /// Exports to WAV (32-bit float), FLAC or Opus by the extension, unprocessed or through `chain` (latency
    /// compensated). Leaves no file on failure or cancellation.
    Result<void> write_out(const Take& take, const std::filesystem::path& to, const ChainSpec* chain,
                           const Progress& progress = {}) const;

  private:
    Result<void> make_folder(const std::filesystem::path& folder) const;
    /// Returns the next frames; none at the end. On an error nothing is written.
    using Pull = std::function<Result<size_t>(AudioBuffer&)>;
    Result<Take> write(const Pull& pull, bool past, const StreamFormat& format, const TakeNotes& notes) const;
    /// The same take as a new file, in place of the old one.
    Result<Take> replace(const Take& take, std::int64_t first, std::int64_t count, const TakeNotes& notes,
                         const Progress& progress) const;
    /// A part of a file as a new take, a piece at a time.
    Result<Take> copy(const std::filesystem::path& from, std::int64_t first, std::int64_t count,
                      const TakeNotes& notes, const Progress& progress) const;

    std::filesystem::path folder_;
};

/// As they stand in a file.
SoundTags tags_of(const TakeNotes& notes);
/// A take as it is in a file; `problem` is the reason why it can't be used.
Take read_take(const std::filesystem::path& path);
/// Now, in local time: "2026-11-26T21:05:33".
std::string date_now();

}  // namespace reed
