#include "measure/file_measure.h"

#include <cmath>

#include "base/decibel.h"
#include "measure/loudness.h"

namespace reed {

std::int64_t ClipCounter::add(const float* x, int frames) noexcept {
    std::int64_t clipped = 0;
    for (int i = 0; i < frames; ++i) {
        if (std::abs(x[i]) >= 1.0f - 1.0f / 32768.0f) {
            ++run_;
            clipped += run_ == 3 ? 3 : (run_ > 3 ? 1 : 0);
        } else {
            run_ = 0;
        }
    }
    return clipped;
}

struct FileMeasure::State {
    explicit State(const StreamFormat& f) : format(f), loudness(f, LoudnessStorage::exact) {}
    StreamFormat format;
    LoudnessMeter loudness;
    ClipCounter clips[kMaxChannels];
    std::int64_t clipped = 0, frames = 0;
    float peak = 0.0f;
    // Mean squares of whole pieces of 10 ms, louder channel.
    std::vector<float> pieces;
    double power[kMaxChannels] = {};
    int filled = 0;

    void collect(const AudioBlock& block) {
        const int length = static_cast<int>(std::lround(kTapFrameSeconds * format.sample_rate));
        for (int i = 0; i < block.frames; ++i) {
            for (int c = 0; c < block.channels; ++c) {
                power[c] += static_cast<double>(block[c][i]) * block[c][i];
            }
            if (++filled < length) continue;
            pieces.push_back(static_cast<float>(std::max(power[0], power[1]) / length));
            power[0] = power[1] = 0.0;
            filled = 0;
        }
    }
    std::optional<double> noise_floor() const {
        const auto level = room_level(pieces, classify_by_level(pieces, 0.0));
        return level && *level > kSilenceDb ? level : std::nullopt;
    }
};

FileMeasure::FileMeasure(const StreamFormat& format) : state_(std::make_unique<State>(format)) {}
FileMeasure::~FileMeasure() = default;

void FileMeasure::add(const AudioBlock& block) {
    State& s = *state_;
    s.loudness.add(block);
    s.collect(block);
    s.frames += block.frames;
    for (int c = 0; c < block.channels; ++c) {
        s.clipped += s.clips[c].add(block[c], block.frames);
        for (int i = 0; i < block.frames; ++i) s.peak = std::max(s.peak, std::abs(block[c][i]));
    }
}

SoundMeasures FileMeasure::result() const {
    const State& s = *state_;
    SoundMeasures out;
    out.sample_rate_hz = s.format.sample_rate;
    out.channels = s.format.channels;
    out.duration_s = static_cast<double>(s.frames) / s.format.sample_rate;
    if (s.peak > 0.0f) out.sample_peak_dbfs = gain_to_db(s.peak);
    const LoudnessReading loudness = s.loudness.read();
    out.integrated_lufs = loudness.integrated;
    // A range needs programme of some length; without an integrated loudness there is none.
    if (loudness.integrated) out.loudness_range_lu = loudness.range;
    out.true_peak_dbtp = loudness.true_peak;
    out.noise_floor_dbfs = s.noise_floor();
    out.clipped_samples = s.clipped;
    return out;
}

}  // namespace reed
