// A recording of a microphone as it came in, to tune by.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "base/sound_file.h"
#include "engine/render.h"

namespace reed {

inline constexpr double kLongestTake = 1800.0;  ///< seconds

/// What is written beside the sound, as tags of the file.
struct TakeNotes {
    std::string name;    ///< the person's; title
    std::string strip;   ///< what its strip is called; album
    std::string device;  ///< artist
    std::string date;    ///< ISO 8601, local time
    std::string notes;   ///< comment

    bool operator==(const TakeNotes&) const = default;
};

struct Take {
    std::filesystem::path path;
    TakeNotes notes;
    SoundInfo info;
    std::string problem;  ///< why it can't be used, in plain words; empty: it can

    double seconds() const { return static_cast<double>(info.frames) / std::max(1.0, info.sample_rate); }
};

/// The folder of takes. Everything is written whole or not at all; what is removed or replaced goes to the
/// folder `removed` beside the takes and can be brought back. Any thread; a take is changed by one at a time.
class TakeStore {
  public:
    explicit TakeStore(std::filesystem::path folder) : folder_(std::move(folder)) {}
    const std::filesystem::path& folder() const { return folder_; }

    /// Keeps a sound: 24-bit FLAC, or 32-bit float WAV where it passes full scale. An empty name becomes the
    /// date.
    Result<Take> keep(const AudioBuffer& sound, double sample_rate, TakeNotes notes) const;
    /// Takes in a sound file of one or two channels, 44.1 to 192 kHz, half an hour at most.
    Result<Take> import(const std::filesystem::path& file, const Progress& progress = {}) const;
    /// The same with other notes, for what was recorded.
    Result<Take> import(const std::filesystem::path& file, TakeNotes notes,
                        const Progress& progress = {}) const;
    /// All there are, the newest first; what is no sound is among them with its problem.
    std::vector<Take> list() const;
    /// A take by its name or its file's name.
    Result<Take> find(const std::string& name) const;

    /// Cut to `count` frames from `first` on, or called something else: the file is written anew, the old one
    /// goes to `removed`.
    Result<Take> trim(const Take& take, std::int64_t first, std::int64_t count,
                      const Progress& progress = {}) const;
    Result<Take> rename(const Take& take, const std::string& name, const Progress& progress = {}) const;
    /// Returns where it went, for bring_back().
    Result<std::filesystem::path> remove(const Take& take) const;
    Result<Take> bring_back(const std::filesystem::path& removed) const;

    /// To a file outside: WAV (32-bit float), FLAC or Opus by its extension, as it is or through `chain`
    /// (latency taken out). Nothing is left behind on failure or cancel.
    Result<void> write_out(const Take& take, const std::filesystem::path& to, const ChainSpec* chain,
                           const Progress& progress = {}) const;

  private:
    Result<void> make_folder(const std::filesystem::path& folder) const;
    /// Gives the next frames; none: the end. Where it fails nothing is written.
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
/// A take as it stands in a file; `problem` tells why it can't be used.
Take read_take(const std::filesystem::path& path);
/// Now, in local time: "2026-11-26T21:05:33".
std::string date_now();

}  // namespace reed
