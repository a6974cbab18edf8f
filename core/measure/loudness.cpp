#include "measure/loudness.h"

#include <ebur128.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "base/decibel.h"
#include "dsp/intersample_peak.h"

namespace reed {

struct LoudnessMeter::State {
    StreamFormat format;
    LoudnessStorage memory = LoudnessStorage::bounded;
    ebur128_state* meter = nullptr;
    std::vector<float> interleaved;
    // libebur128 finds the true peak by a convolution over every sample, which is most of what it costs.
    std::vector<IntersamplePeak> between;  // a channel
    float highest = 0.0f;                  // true peak as a factor

    void open() {
        const int histogram = memory == LoudnessStorage::bounded ? EBUR128_MODE_HISTOGRAM : 0;
        meter = ebur128_init(static_cast<unsigned>(format.channels),
                             static_cast<unsigned long>(std::lround(format.sample_rate)),
                             EBUR128_MODE_M | EBUR128_MODE_S | EBUR128_MODE_I | EBUR128_MODE_LRA | histogram);
        between.assign(static_cast<size_t>(format.channels), IntersamplePeak());
        highest = 0.0f;
        // A single channel is a mono voice, heard from both loudspeakers of a stereo programme only after
        // the streaming program doubles it; it is measured as one channel, as BS.1770 describes it.
    }
    static float raised(IntersamplePeak& between, const float* x, int frames, float highest) {
        for (int done = 0; done < frames; done += kSubBlock) {
            float peaks[kSubBlock] = {};
            const int n = std::min(kSubBlock, frames - done);
            between.process(x + done, n, highest, peaks);
            highest = std::max(highest, *std::max_element(peaks, peaks + n));
        }
        return highest;
    }
    /// Including the interpolation between the newest samples and silence.
    float highest_to_the_end() const {
        float out = highest;
        constexpr float kSilence[IntersamplePeak::kTaps] = {};
        for (IntersamplePeak p : between) out = raised(p, kSilence, IntersamplePeak::kTaps, out);
        return out;
    }
    void close() {
        if (meter != nullptr) ebur128_destroy(&meter);
    }
};

namespace {
/// Calls one of libebur128's read functions; nothing when it fails or has no finite value yet.
std::optional<double> value_of(int (*function)(ebur128_state*, double*), ebur128_state* meter) {
    double value = 0.0;
    if (function(meter, &value) != EBUR128_SUCCESS || !std::isfinite(value)) return std::nullopt;
    return value;
}
}  // namespace

LoudnessMeter::LoudnessMeter(const StreamFormat& format, LoudnessStorage memory)
    : state_(std::make_unique<State>()) {
    state_->format = format;
    state_->memory = memory;
    state_->open();
}

LoudnessMeter::~LoudnessMeter() {
    state_->close();
}

void LoudnessMeter::restart() {
    state_->close();
    state_->open();
}

void LoudnessMeter::add(const AudioBlock& block) {
    if (state_->meter == nullptr || block.frames == 0) return;
    const auto channels = static_cast<size_t>(state_->format.channels);
    state_->interleaved.resize(channels * static_cast<size_t>(block.frames));
    for (size_t c = 0; c < channels; ++c) {
        const float* row = block[std::min(static_cast<int>(c), block.channels - 1)];
        state_->highest = State::raised(state_->between[c], row, block.frames, state_->highest);
        for (size_t i = 0; i < static_cast<size_t>(block.frames); ++i) {
            state_->interleaved[i * channels + c] = row[i];
        }
    }
    ebur128_add_frames_float(state_->meter, state_->interleaved.data(), static_cast<size_t>(block.frames));
}

LoudnessReading LoudnessMeter::read_quick() const {
    LoudnessReading out;
    if (state_->meter == nullptr) return out;
    out.momentary = value_of(ebur128_loudness_momentary, state_->meter);
    out.short_term = value_of(ebur128_loudness_shortterm, state_->meter);
    return out;
}

std::optional<double> LoudnessMeter::newest(unsigned long ms) const {
    double value = 0.0;
    if (state_->meter == nullptr || ebur128_loudness_window(state_->meter, ms, &value) != EBUR128_SUCCESS ||
        !std::isfinite(value))
        return std::nullopt;
    return value;
}

LoudnessReading LoudnessMeter::read() const {
    LoudnessReading out = read_quick();
    if (state_->meter == nullptr) return out;
    out.integrated = value_of(ebur128_loudness_global, state_->meter);
    out.range = value_of(ebur128_loudness_range, state_->meter);
    const float highest = state_->highest_to_the_end();
    if (highest > 0.0f) out.true_peak = gain_to_db(highest);
    return out;
}

LoudnessReading measure_loudness(AudioBuffer& sound, double sample_rate) {
    LoudnessMeter meter({sample_rate, sound.channels()}, LoudnessStorage::exact);
    constexpr size_t kPiece = 8192;
    for (size_t done = 0; done < sound.frames(); done += kPiece)
        meter.add(sound.block(done, static_cast<int>(std::min(kPiece, sound.frames() - done))));
    return meter.read();
}

}  // namespace reed
