// Sound files, through libsndfile.
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
    std::int64_t frames = 0;  ///< as the header says
};

/// What a file says of itself; empty where it says nothing.
struct SoundTags {
    std::string title, artist, album, date, comment;
    bool operator==(const SoundTags&) const = default;
};

/// Reads a file from its beginning, block by block.
class SoundReader {
  public:
    /// Fails with plain words on missing, unreadable, unknown, empty and truncated-to-nothing files.
    static Result<std::unique_ptr<SoundReader>> open(const std::filesystem::path& path);
    ~SoundReader();
    SoundReader(const SoundReader&) = delete;
    SoundReader& operator=(const SoundReader&) = delete;

    const SoundInfo& info() const { return info_; }
    SoundTags tags() const;
    /// Fills up to out.frames() frames, all channels; returns how many. 0 at the end.
    size_t read(AudioBuffer& out);
    /// The frame that is read next; false when it is not there.
    bool seek(std::int64_t frame);
    /// At the end: fails when less sound was there than the header says.
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

/// Whole file at once; for files of minutes, not hours. At most `max_frames`.
Result<AudioBuffer> read_sound(const std::filesystem::path& path, SoundInfo* info = nullptr,
                               std::int64_t max_frames = std::int64_t{1} << 31);

/// `count` frames from `first` on, or as many as there are.
Result<AudioBuffer> read_sound_part(const std::filesystem::path& path, std::int64_t first, std::int64_t count,
                                    SoundInfo* info = nullptr);

enum class SampleFormat { pcm24, float32 };

/// Writes a sound file beside its target and moves it there on finish(): nothing half-written is ever seen.
class SoundWriter {
  public:
    /// The rate at which such a file (by the extension of `path`) keeps sound of `rate` Hz: Opus knows 48 kHz
    /// alone.
    static double rate_for(const std::filesystem::path& path, double rate);
    /// WAV, FLAC or Opus by the extension of `path`; the rate is rate_for() of it. FLAC is always 24-bit.
    static Result<std::unique_ptr<SoundWriter>> create(const std::filesystem::path& path,
                                                       const StreamFormat& format, SampleFormat samples,
                                                       const SoundTags& tags = {});
    /// A WAV of 32-bit floats that stands under its name from the beginning and can be read at any moment,
    /// however the program or the disk ends: for what is recorded. Never waits for the disk. Nothing may be
    /// at `path`.
    static Result<std::unique_ptr<SoundWriter>> grow(const std::filesystem::path& path,
                                                     const StreamFormat& format, const SoundTags& tags = {});
    /// Whether some program, this one too, is about to write more into a file by grow().
    static bool grows(const std::filesystem::path& path);
    /// Without finish() the unfinished file is removed; one that grows stays as it is.
    ~SoundWriter();
    SoundWriter(const SoundWriter&) = delete;
    SoundWriter& operator=(const SoundWriter&) = delete;

    Result<void> write(const AudioBlock& block);
    Result<void> finish();
    /// Samples beyond full scale that a 24-bit file could not hold and were cut to it.
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
