#include "stages/suppression.h"

#include <speex/speex_preprocess.h>

#include <array>
#include <cmath>
#include <memory>
#include <vector>

#include "dsp/delay_line.h"
#include "dsp/frame_adapter.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::number("amount", "Amount", Unit::decibel, -60.0, 0.0, -25.0, Scale::linear,
                      "No more than the room needs: too much makes the voice dull and watery."),
};
enum Index { kAmount };

struct SpeexDelete {
    void operator()(SpeexPreprocessState* s) const { speex_preprocess_state_destroy(s); }
};

/// The preprocessor for one channel. It works on 16-bit samples; full scale is +-32768.
class AdaptiveChannel {
  public:
    void prepare(int frame, int rate) {
        state_.reset(speex_preprocess_state_init(frame, rate));
        set(SPEEX_PREPROCESS_SET_DENOISE, 1);
        set(SPEEX_PREPROCESS_SET_AGC, 0);
        set(SPEEX_PREPROCESS_SET_DEREVERB, 0);
        samples_.assign(static_cast<size_t>(frame), 0);
        adapter_.prepare(frame);
    }
    void amount(int db) {
        if (state_) set(SPEEX_PREPROCESS_SET_NOISE_SUPPRESS, db);
    }
    void process(const float* in, float* out, int frames) {
        adapter_.process(in, out, frames, [this](float* frame) { run(frame); });
    }
    void reset() { adapter_.reset(); }

  private:
    void set(int request, int value) { speex_preprocess_ctl(state_.get(), request, &value); }
    void run(float* frame) {
        for (size_t i = 0; i < samples_.size(); ++i) {
            const float scaled = std::min(std::max(frame[i] * 32768.0f, -32768.0f), 32767.0f);
            samples_[i] = static_cast<spx_int16_t>(std::lrintf(scaled));
        }
        speex_preprocess_run(state_.get(), samples_.data());
        for (size_t i = 0; i < samples_.size(); ++i) frame[i] = static_cast<float>(samples_[i]) / 32768.0f;
    }

    std::unique_ptr<SpeexPreprocessState, SpeexDelete> state_;
    std::vector<spx_int16_t> samples_;
    FrameAdapter adapter_;
};

class SuppressionStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        // Even, as the transform inside wants it.
        frame_ = 2 * static_cast<int>(std::lround(format.sample_rate * 0.005));
        for (int c = 0; c < format.channels; ++c) {
            channels_[static_cast<size_t>(c)].prepare(frame_, static_cast<int>(format.sample_rate));
            dry_[static_cast<size_t>(c)].prepare(latency());
        }
        wet_.prepare(format.sample_rate, 0.010, values[kAmount] < 0.0 ? 1.0 : 0.0);
        applied_ = 1;
        set_values(values);
        begin_grain();
    }
    void set_values(std::span<const double> values) override {
        wanted_ = static_cast<int>(std::lround(values[kAmount]));
        wet_.set(values[kAmount] < 0.0 ? 1.0 : 0.0);
    }
    void begin_grain() override {
        wet_.begin_grain();
        // The amount moves frame by frame inside the method; its overlapping windows smooth the step.
        if (wanted_ == applied_ || wanted_ == 0) return;
        applied_ = wanted_;
        for (auto& c : channels_) {
            c.amount(applied_);
        }
    }
    void process(const AudioBlock& block) override {
        float wet[kGrain];
        float mix[kGrain];
        for (int i = 0; i < block.frames; ++i) mix[i] = wet_.next();
        for (int c = 0; c < block.channels; ++c) {
            channels_[static_cast<size_t>(c)].process(block[c], wet, block.frames);
            dry_[static_cast<size_t>(c)].process(block[c], block[c], block.frames);
            for (int i = 0; i < block.frames; ++i) block[c][i] += mix[i] * (wet[i] - block[c][i]);
        }
    }
    void reset() override {
        for (auto& c : channels_) c.reset();
        for (auto& d : dry_) d.reset();
    }
    /// One frame to collect and one to overlap.
    int latency() const override { return 2 * frame_; }

  private:
    int frame_ = 480;
    int wanted_ = 0;
    int applied_ = 0;
    Smoothed wet_;
    std::array<AdaptiveChannel, kMaxChannels> channels_;
    std::array<DelayLine, kMaxChannels> dry_;
};

}  // namespace

const StageKind kSuppressionStage{
    "suppression", "Suppression", "Takes steady noise out: fans, hiss, rain", kTable,
    [] { return std::unique_ptr<Stage>(std::make_unique<SuppressionStage>()); }};

}  // namespace reed
