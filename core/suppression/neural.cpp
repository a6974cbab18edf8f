#include <cmath>
#include <optional>

#include "dsp/delay_line.h"
#include "dsp/frame_adapter.h"
#include "dsp/rate_bridge.h"
#include "suppression/method.h"

namespace reed {
namespace {

class Neural final : public SuppressionMethod {
  public:
    Neural(double sample_rate, std::unique_ptr<FrameSuppressor> network) : network_(std::move(network)) {
        const int frame =
            static_cast<int>(std::lround(sample_rate * FrameSuppressor::kFrame / FrameSuppressor::kRate));
        adapter_.prepare(frame);
        if (sample_rate != FrameSuppressor::kRate)
            bridge_.emplace(sample_rate, frame, FrameSuppressor::kRate, FrameSuppressor::kFrame);
        // Takes over when the network fails: the same delay at the network's own rate.
        const int inside = network_ ? network_->delay() : FrameSuppressor::kFrame;
        plain_.prepare(inside);
        latency_ = frame + static_cast<int>(std::lround(inside * sample_rate / FrameSuppressor::kRate)) +
                   (bridge_ ? bridge_->delay() : 0);
    }
    void process(const float* in, float* out, int frames) override {
        adapter_.process(in, out, frames, [this](float* frame) {
            if (bridge_)
                bridge_->process(frame, [this](float* inner) { run(inner); });
            else
                run(frame);
        });
    }
    int latency() const override { return latency_; }
    void reset() override {
        adapter_.reset();
        plain_.reset();
        if (!failed()) network_->restart();
    }
    float voice() const override { return failed() ? -1.0f : voice_; }
    bool failed() const override { return network_ == nullptr || failed_; }

  private:
    void run(float* frame) {
        float plain[FrameSuppressor::kFrame];
        plain_.process(frame, plain, FrameSuppressor::kFrame);
        failed_ = failed_ || !network_ || !network_->process(frame, frame, voice_);
        if (failed_)
            std::copy_n(plain, FrameSuppressor::kFrame, frame);
        else
            lower_pauses(frame);
    }
    /// Clicks of keys come through the network weakened by 9 to 14 dB only, yet it knows well that they are
    /// no speech: where it has heard none for a while, the rest is lowered too. Its word comes 10 ms before
    /// the sound it is about, so that beginnings of words are spared.
    void lower_pauses(float* frame) {
        // A click makes it wonder for a frame; speech lasts.
        const bool speech = voice_ > kSpeech || std::min(voice_, voice_before_) > kMaybe;
        voice_before_ = voice_;
        quiet_frames_ = speech ? 0 : std::min(quiet_frames_ + 1, kQuietFrames);
        const float goal = quiet_frames_ < kQuietFrames ? 1.0f : kPauseGain;
        const float end = goal > gain_ ? goal : std::max(goal, gain_ * kPauseFall);
        const float step = (end - gain_) / FrameSuppressor::kFrame;
        if (gain_ == 1.0f && end == 1.0f) return;
        for (int i = 0; i < FrameSuppressor::kFrame; ++i)
            frame[i] *= gain_ + step * static_cast<float>(i + 1);
        gain_ = end;
    }

    static constexpr float kSpeech = 0.6f, kMaybe = 0.2f;  // probability of one frame, of two in a row
    static constexpr int kQuietFrames = 25;                // 250 ms
    static constexpr float kPauseGain = 0.4467f;           // -7 dB
    static constexpr float kPauseFall = 0.933f;            // 0.6 dB in 10 ms

    std::unique_ptr<FrameSuppressor> network_;
    std::optional<RateBridge> bridge_;
    FrameAdapter adapter_;
    DelayLine plain_;
    int latency_ = 0;
    float voice_ = 0.0f, voice_before_ = 0.0f;
    int quiet_frames_ = 0;
    float gain_ = 1.0f;
    bool failed_ = false;
};

}  // namespace

std::unique_ptr<SuppressionMethod> make_neural(double sample_rate, std::unique_ptr<FrameSuppressor> network) {
    return std::make_unique<Neural>(sample_rate, std::move(network));
}

}  // namespace reed
