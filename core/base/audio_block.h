// Audio blocks: planar float samples, full scale at +-1.
#pragma once

#include <algorithm>
#include <array>
#include <vector>

namespace reed {

/// The chain handles one voice: mono, or stereo with linked detection.
inline constexpr int kMaxChannels = 2;

/// Sub-block: stages process at most this many frames at a time, split at multiples of it counted from the
/// start of the stream. Parameters change at these boundaries and are interpolated between them, so the
/// result does not depend on the block size of the host.
inline constexpr int kSubBlock = 32;

/// Sample rates the whole program accepts, in Hz.
inline constexpr double kMinSampleRate = 44100.0;
inline constexpr double kMaxSampleRate = 192000.0;

struct StreamFormat {
    double sample_rate = 48000.0;  ///< Hz, 44100 to 192000
    int channels = 1;              ///< 1 or 2

    bool operator==(const StreamFormat&) const = default;
};

/// A view of samples owned elsewhere: `channels` rows of `frames` samples.
struct AudioBlock {
    std::array<float*, kMaxChannels> rows{};
    int channels = 0;
    int frames = 0;

    float* operator[](int channel) const { return rows[static_cast<size_t>(channel)]; }

    /// The view of `count` frames from frame `first` on.
    AudioBlock slice(int first, int count) const {
        AudioBlock out{rows, channels, count};
        for (int c = 0; c < channels; ++c) out.rows[static_cast<size_t>(c)] += first;
        return out;
    }
};

/// Owned samples, one vector per channel, all of one length.
class AudioBuffer {
  public:
    AudioBuffer() = default;
    AudioBuffer(int channels, size_t frames)
        : rows_(static_cast<size_t>(channels), std::vector<float>(frames)), frames_(frames) {}

    int channels() const { return static_cast<int>(rows_.size()); }
    size_t frames() const { return frames_; }
    std::vector<float>& operator[](int channel) { return rows_[static_cast<size_t>(channel)]; }
    const std::vector<float>& operator[](int channel) const { return rows_[static_cast<size_t>(channel)]; }

    void resize(size_t frames) {
        for (auto& row : rows_) row.resize(frames);
        frames_ = frames;
    }
    void clear() {
        for (auto& row : rows_) std::fill(row.begin(), row.end(), 0.0f);
    }
    /// View of `count` frames from `first`; the caller keeps both inside frames().
    AudioBlock block(size_t first, int count) {
        AudioBlock out;
        out.channels = std::min(channels(), kMaxChannels);
        out.frames = count;
        for (int c = 0; c < out.channels; ++c) out.rows[static_cast<size_t>(c)] = (*this)[c].data() + first;
        return out;
    }

  private:
    std::vector<std::vector<float>> rows_;
    size_t frames_ = 0;
};

}  // namespace reed
