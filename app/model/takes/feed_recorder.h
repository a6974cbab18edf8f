// Records the output to an audio file.
#pragma once

#include <functional>
#include <memory>

#include "base/sound_file.h"
#include "mixer/live_mixer.h"

namespace reed::ui {

/// Writes the output of an engine or of the mixer since start(). Call pump() at least every few seconds.
/// Another input with the same sample rate continues in the same file, with any number of channels. GUI
/// thread only.
class FeedRecorder {
  public:
    explicit FeedRecorder(const Engine& engine)
        : format_now_([&engine] { return engine.format(); }),
          ring_now_([&engine] { return engine.feed_history(); }) {}
    explicit FeedRecorder(const LiveMixer& desk)
        : format_now_([&desk] { return desk.format(); }),
          ring_now_([&desk] { return desk.feed_history(); }) {}

    /// Creates the file with the format of the output.
    Result<void> start(const std::filesystem::path& path) {
        path_ = path.string();
        format_ = format_now_();
        auto made = SoundWriter::create(path, format_, SampleFormat::pcm24);
        if (!made.ok()) return made.error();
        writer_ = std::move(made.value());
        feed_ = RingReader(ring_now_());
        return {};
    }
    bool running() const { return writer_ != nullptr; }
    /// Writes new output. Returns an error once if it can't continue; the file up to then is complete.
    Result<void> pump() {
        if (!writer_) return {};
        if (auto pumped = take_all(); !pumped.ok()) {
            (void)writer_->finish();
            writer_.reset();
            return pumped;
        }
        return {};
    }
    /// Writes the rest and closes the file.
    Result<void> finish() {
        if (auto pumped = pump(); !pumped.ok()) return pumped;
        if (!writer_) return {};
        auto done = writer_->finish();
        writer_.reset();
        return done;
    }

  private:
    Result<void> take_all() {
        // Output of the previous input is still in its ring.
        if (auto taken = drain(); !taken.ok()) return taken;
        if (!feed_.follow(ring_now_())) return {};
        if (format_now_().sample_rate != format_.sample_rate)
            return Error{"Recording stopped: the input's sample rate changed.", path_,
                         "The recording up to that point was saved."};
        return drain();
    }
    Result<void> drain() {
        AudioBlock piece;
        auto got = RingReader::Got::nothing;
        while ((got = feed_.next(kPiece, piece)) == RingReader::Got::sound) {
            if (to_.channels() != format_.channels) to_ = AudioBuffer(format_.channels, kPiece);
            const float* left = piece[0];
            const float* right = piece[piece.channels - 1];
            for (int i = 0; i < piece.frames; ++i) {
                const auto k = static_cast<size_t>(i);
                to_[0][k] = format_.channels == 1 ? 0.5f * (left[i] + right[i]) : left[i];
                if (format_.channels > 1) to_[1][k] = right[i];
            }
            if (auto written = writer_->write(to_.block(0, piece.frames)); !written.ok()) return written;
        }
        if (got == RingReader::Got::nothing) return {};
        return Error{"Recording stopped: part of the output was lost.", path_,
                     "The recording up to that point was saved."};
    }

    static constexpr int kPiece = 4096;
    std::function<StreamFormat()> format_now_;
    std::function<std::shared_ptr<const HistoryRing>()> ring_now_;
    std::unique_ptr<SoundWriter> writer_;
    std::string path_;
    StreamFormat format_;
    RingReader feed_;
    AudioBuffer to_;
};

}  // namespace reed::ui
