// A sound file in place of the microphone, in a loop.
#pragma once

#include <condition_variable>
#include <filesystem>
#include <mutex>

#include "base/ring_reader.h"
#include "base/sound_file.h"
#include "devices/paced_thread.h"

namespace reed {

/// Plays a file of 1 or 2 channels and 44.1 to 192 kHz over and over, however long it is: two seconds of it
/// are read ahead by a thread of its own. Where it breaks off or can no longer be read, status() says so, and
/// it begins again from its start.
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
    // The reading thread's.
    std::unique_ptr<SoundReader> reader_;
    AudioBuffer piece_;
    std::shared_ptr<HistoryRing> ahead_;  // made once; the thread that plays reads it
    std::thread reading_;
    // Between threads.
    std::atomic<std::int64_t> played_{0};
    std::atomic<std::uint64_t> missed_{0};
    mutable std::mutex mutex_;  // of what follows
    std::condition_variable ending_;
    bool quit_ = false;
    std::string problem_;
    RingReader playing_;  // of the thread that plays
    PacedThread thread_;
};

}  // namespace reed
