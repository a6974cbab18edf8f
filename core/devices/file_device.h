// An audio file as input, in a loop.
#pragma once

#include <condition_variable>
#include <filesystem>
#include <mutex>

#include "base/ring_reader.h"
#include "base/sound_file.h"
#include "devices/paced_thread.h"

namespace reed {

/// Plays a file of 1 or 2 channels and 44.1 to 192 kHz of any length in a loop. A thread reads two seconds
/// ahead. If the file is truncated or unreadable, status() reports it, and playback restarts from the
/// beginning.
class FileDevice final : public SoundSource {
  public:
    static Result<std::unique_ptr<FileDevice>> create(const std::filesystem::path& path);
    ~FileDevice() override { stop(); }

    StreamFormat format() const override { return format_; }
    Result<void> start(AudioCallback& callback, FeedSink* feed = nullptr) override;
    void stop() override;
    DeviceStatus status() const override;

  private:
    FileDevice() = default;
    bool read_piece();
    void read_ahead();
    void fill(const AudioBlock& block);

    std::filesystem::path path_;
    StreamFormat format_;
    // Reader thread only.
    std::unique_ptr<SoundReader> reader_;
    AudioBuffer piece_;
    std::shared_ptr<HistoryRing> ahead_;  // created once; read by the playing thread
    std::thread reading_;
    // Between threads.
    std::atomic<std::int64_t> played_{0};
    std::atomic<std::uint64_t> missed_{0};
    mutable std::mutex mutex_;  // guards the following members
    std::condition_variable ending_;
    bool quit_ = false;
    std::string problem_;
    RingReader playing_;  // playing thread only
    PacedThread thread_;
};

}  // namespace reed
