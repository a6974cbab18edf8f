// Writes the feed to a file while it runs.
#pragma once

#include <memory>

#include "base/sound_file.h"
#include "engine/engine.h"

namespace reed::ui {

/// Copies what has come out of the engine since start() into a sound file; call pump() at least every
/// few seconds. Another input with the same sample rate goes on in the same file, whatever its channels.
class FeedRecorder {
  public:
    explicit FeedRecorder(const Engine& engine) : engine_(engine) {}

    Result<void> start(const std::filesystem::path& path) {
        path_ = path.string();
        format_ = engine_.format();
        auto made = SoundWriter::create(path, format_, SampleFormat::pcm24);
        if (!made.ok()) return made.error();
        writer_ = std::move(made.value());
        next_ = engine_.feed_history().written();
        return {};
    }
    bool running() const { return writer_ != nullptr; }
    /// What can't go on is said once; what was recorded until then is finished and kept.
    Result<void> pump() {
        if (!writer_) return {};
        if (auto pumped = take_all(); !pumped.ok()) {
            (void)writer_->finish();
            writer_.reset();
            return pumped;
        }
        return {};
    }
    Result<void> finish() {
        if (auto pumped = pump(); !pumped.ok()) return pumped;
        if (!writer_) return {};
        auto done = writer_->finish();
        writer_.reset();
        return done;
    }

  private:
    Result<void> take_all() {
        const HistoryRing& feed = engine_.feed_history();
        if (engine_.format().sample_rate != format_.sample_rate)
            return Error{"the recording ended, because the input has another sample rate now.", path_,
                         "What was recorded until then is kept; start another recording."};
        if (next_ > feed.written()) next_ = 0;  // another input
        if (from_.channels() != feed.channels()) from_ = AudioBuffer(feed.channels(), kPiece);
        if (to_.channels() != format_.channels) to_ = AudioBuffer(format_.channels, kPiece);
        float* rows[kMaxChannels] = {from_[0].data(), from_[from_.channels() - 1].data()};
        while (next_ < feed.written()) {
            const int n = static_cast<int>(std::min<std::int64_t>(kPiece, feed.written() - next_));
            if (!feed.read(next_, n, rows))
                return Error{"the recording ended, because part of the feed was lost.", path_,
                             "What was recorded until then is kept; start another recording."};
            for (size_t i = 0; i < static_cast<size_t>(n); ++i) {
                const float mean = 0.5f * (rows[0][i] + rows[1][i]);
                for (int c = 0; c < format_.channels; ++c)
                    to_[c][i] = format_.channels == 1 ? mean : rows[c][i];
            }
            if (auto written = writer_->write(to_.block(0, n)); !written.ok()) return written;
            next_ += n;
        }
        return {};
    }

    static constexpr int kPiece = 4096;
    const Engine& engine_;
    std::unique_ptr<SoundWriter> writer_;
    std::string path_;
    StreamFormat format_;
    AudioBuffer from_, to_;
    std::int64_t next_ = 0;
};

}  // namespace reed::ui
