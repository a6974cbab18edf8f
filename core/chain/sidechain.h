// Sound of other strips, for the stages that listen to them instead of to their own (ducking, keyed gates).
#pragma once

#include <algorithm>
#include <span>
#include <string_view>
#include <vector>

#include "base/audio_block.h"

namespace reed {

/// The newest moment of one strip's sound. One thread, the audio thread; only prepare() allocates.
class SidechainBuffer {
  public:
    /// Frames that are kept: a third of a second at 192 kHz.
    static constexpr int kKept = 65536;
    /// Longest block for write().
    static constexpr int kLongest = 8192;

    /// As after silence.
    void prepare(int channels) {
        rows_.assign(static_cast<size_t>(channels), std::vector<float>(kKept, 0.0f));
        at_ = 0;
    }
    int channels() const { return static_cast<int>(rows_.size()); }

    /// What the key sounds in this block. Before the strips that listen to it process theirs.
    void write(const AudioBlock& block) noexcept {
        for (int done = 0; done < block.frames;) {
            const int n = std::min(block.frames - done, kKept - at_);
            for (size_t c = 0; c < rows_.size(); ++c) {
                const float* x = block[std::min(static_cast<int>(c), block.channels - 1)];
                std::copy_n(x + done, n, rows_[c].data() + at_);
            }
            done += n;
            at_ = (at_ + n) % kKept;
        }
    }
    /// The `to.frames` frames that end `back` frames before the newest one; `back` from 0, what is no longer
    /// kept is the oldest there is. to.channels as here.
    void read(int back, const AudioBlock& to) const noexcept {
        const int from = std::clamp(back, 0, kKept - kLongest) + to.frames;
        for (int c = 0; c < to.channels; ++c) {
            const auto& row = rows_[static_cast<size_t>(c)];
            for (int i = 0; i < to.frames; ++i)
                to[c][i] = row[static_cast<size_t>((at_ - from + i + kKept) % kKept)];
        }
    }

  private:
    std::vector<std::vector<float>> rows_;
    int at_ = 0;
};

/// A key as a chain is given it.
struct Key {
    std::string_view id;                     ///< of the strip, or kAllVoices
    const SidechainBuffer* sound = nullptr;  ///< written up to the end of the block that is processed
    int latency = 0;                         ///< frames by which it lags behind what came in
};
/// For one call of Chain::process(), at most SidechainBuffer::kLongest frames.
struct Keys {
    std::span<const Key> all;
    int delay = 0;  ///< frames by which the chain's own input lags behind what came in

    const Key* find(std::string_view id) const {
        const auto found = std::ranges::find(all, id, &Key::id);
        return found == all.end() ? nullptr : &*found;
    }
};

/// The sum of all voices of the mixer.
inline constexpr std::string_view kAllVoices = "voices";

}  // namespace reed
