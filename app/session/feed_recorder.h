// Writes the feed to a file while it runs.
#pragma once

#include <memory>

#include "base/sound_file.h"
#include "engine/engine.h"

namespace reed::ui {

/// Copies what has come out of the engine since start() into a sound file; call pump() at least every
/// few seconds.
class FeedRecorder {
  public:
    explicit FeedRecorder(const Engine& engine) : engine_(engine) {}

    Result<void> start(const std::filesystem::path& path) {
        auto made = SoundWriter::create(path, engine_.format(), SampleFormat::pcm24);
        if (!made.ok()) return made.error();
        writer_ = std::move(made.value());
        next_ = engine_.feed_history().written();
        piece_ = AudioBuffer(engine_.format().channels, 4096);
        return {};
    }
    Result<void> pump() {
        const HistoryRing& feed = engine_.feed_history();
        float* rows[kMaxChannels] = {piece_[0].data(), piece_.channels() > 1 ? piece_[1].data() : nullptr};
        while (writer_ && next_ < feed.written()) {
            const int n = static_cast<int>(std::min<std::int64_t>(4096, feed.written() - next_));
            if (!feed.read(next_, n, rows)) return Error{"part of the feed was lost.", "recording", ""};
            if (auto written = writer_->write(piece_.block(0, n)); !written.ok()) return written;
            next_ += n;
        }
        return {};
    }
    Result<void> finish() {
        if (auto pumped = pump(); !pumped.ok()) return pumped;
        auto done = writer_->finish();
        writer_.reset();
        return done;
    }

  private:
    const Engine& engine_;
    std::unique_ptr<SoundWriter> writer_;
    AudioBuffer piece_;
    std::int64_t next_ = 0;
};

}  // namespace reed::ui
