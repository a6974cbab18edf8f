// Audio files, through libsndfile.
#pragma once

#include <filesystem>
#include <memory>
#include <string>

#include "base/audio_block.h"
#include "base/result.h"

namespace reed {

struct SoundInfo {
    double sample_rate = 0.0;  ///< Hz
    int channels = 0;
    std::int64_t frames = 0;  ///< according to the header
};

/// Tags of a file; empty if missing.
struct SoundTags {
    std::string title, artist, album, date, comment;
    bool operator==(const SoundTags&) const = default;
};

/// Reads a file block by block.
class SoundReader {
  public:
    /// Returns an error for missing, unreadable, unknown, empty and completely truncated files.
    static Result<std::unique_ptr<SoundReader>> open(const std::filesystem::path& path);
    ~SoundReader();
    SoundReader(const SoundReader&) = delete;
    SoundReader& operator=(const SoundReader&) = delete;

    const SoundInfo& info() const { return info_; }
    SoundTags tags() const;
    /// Reads up to out.frames() frames of all channels; returns their number, 0 at the end.
    size_t read(AudioBuffer& out);
    /// Sets the next frame; false if it does not exist.
    bool seek(std::int64_t frame);
    /// Call at the end: returns an error if the file has fewer frames than its header states.
    Result<void> complete() const;

  private:
    SoundReader() = default;
    struct Handle;
    std::unique_ptr<Handle> handle_;
    std::filesystem::path path_;
    SoundInfo info_;
    std::int64_t frames_read_ = 0;
    std::vector<float> interleaved_;
};

/// Reads a whole file, at most `max_frames`. For files of minutes, not hours.
Result<AudioBuffer> read_sound(const std::filesystem::path& path, SoundInfo* info = nullptr,
                               std::int64_t max_frames = std::int64_t{1} << 31);

/// Reads `count` frames from `first`, or as many as there are.
Result<AudioBuffer> read_sound_part(const std::filesystem::path& path, std::int64_t first, std::int64_t count,
                                    SoundInfo* info = nullptr);

enum class SampleFormat { pcm24, float32 };

/// Writes an audio file beside its target and moves it there on finish(), so an incomplete file is never
/// visible.
class SoundWriter {
  public:
    /// Sample rate at which a file of this extension stores audio of `rate` Hz: 48 kHz for Opus, otherwise
    /// `rate`.
    static double rate_for(const std::filesystem::path& path, double rate);
    /// Creates a WAV, FLAC or Opus file by the extension of `path`, at rate_for(). FLAC is always 24-bit.
    static Result<std::unique_ptr<SoundWriter>> create(const std::filesystem::path& path,
                                                       const StreamFormat& format, SampleFormat samples,
                                                       const SoundTags& tags = {});
    /// Creates a 32-bit float WAV for a recording. It has its final name from the beginning and is readable
    /// at any moment, also after a crash or on a full disk. Never waits for the disk. Precondition: `path`
    /// does not exist.
    static Result<std::unique_ptr<SoundWriter>> grow(const std::filesystem::path& path,
                                                     const StreamFormat& format, const SoundTags& tags = {});
    /// Whether a process, including this one, is recording into this file by grow().
    static bool grows(const std::filesystem::path& path);
    /// Without finish() the file is removed, unless it was created by grow().
    ~SoundWriter();
    SoundWriter(const SoundWriter&) = delete;
    SoundWriter& operator=(const SoundWriter&) = delete;

    Result<void> write(const AudioBlock& block);
    Result<void> finish();
    /// Number of samples that were clipped to full scale in a 24-bit file.
    std::int64_t clipped() const { return clipped_; }

  private:
    SoundWriter() = default;
    struct Handle;
    void tell(const SoundTags& tags);
    std::unique_ptr<Handle> handle_;
    std::filesystem::path target_;
    int channels_ = 1;
    bool integer_ = false;
    std::int64_t clipped_ = 0;
    std::vector<float> interleaved_;
};

}  // namespace reed
