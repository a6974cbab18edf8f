// A sound file in place of the microphone, in a loop.
#pragma once

#include <filesystem>

#include "base/sound_file.h"
#include "devices/paced_thread.h"

namespace reed {

/// Plays a file of 1 or 2 channels and 44.1 to 192 kHz, at most ten minutes, over and over.
class FileDevice final : public Device {
  public:
    static Result<std::unique_ptr<FileDevice>> create(const std::filesystem::path& path);

    StreamFormat format() const override { return format_; }
    Result<void> start(AudioCallback& callback) override;
    void stop() override { thread_.stop(); }
    DeviceStatus status() const override { return {thread_.running(), thread_.dropouts(), ""}; }

  private:
    FileDevice() = default;
    StreamFormat format_;
    AudioBuffer sound_;
    size_t position_ = 0;
    PacedThread thread_;
};

}  // namespace reed
