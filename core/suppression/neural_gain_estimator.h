// Gains of a neural network for the bins of a spectrum.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <optional>
#include <vector>

#include "dsp/stream_resampler.h"
#include "neural/voice_network.h"

namespace reed {

/// Runs a network beside the signal and interpolates its newest gains to the bins of a spectrum. They apply
/// to the 20 ms before the newest complete frame of 10 ms; at other rates than 48 kHz they are 0.5 ms older.
class NeuralGainEstimator {
  public:
    /// `network`: nullptr counts as failed. `bin_hz`: width of a bin. `offset`: shift of its frames in
    /// samples at 48 kHz, so that the networks of several channels do not run in the same block.
    NeuralGainEstimator(std::unique_ptr<VoiceNetwork> network, double sample_rate, double bin_hz, size_t bins,
                        int offset)
        : network_(std::move(network)),
          offset_(static_cast<size_t>(offset)),
          filled_(offset_),
          gains_(bins, 1.0f) {
        const int rate = static_cast<int>(std::lround(sample_rate));
        if (rate != VoiceNetwork::kRate) resampler_.emplace(rate, VoiceNetwork::kRate);
        int band = 0;
        for (size_t k = 0; k < bins; ++k) {
            const double hz = static_cast<double>(k) * bin_hz;
            while (band + 2 < VoiceNetwork::kBands && hz >= VoiceNetwork::band_hz(band + 1)) ++band;
            const double from = VoiceNetwork::band_hz(band);
            const double to = VoiceNetwork::band_hz(band + 1);
            places_.push_back({band, static_cast<float>(std::clamp((hz - from) / (to - from), 0.0, 1.0))});
        }
    }
    void add(const float* x, int frames) {
        if (resampler_) {
            resampler_->process(x, frames, [this](float y) { take(y); });
        } else {
            for (int i = 0; i < frames; ++i) take(x[i]);
        }
    }
    void reset() {
        frame_.fill(0.0f);
        filled_ = offset_;
        voice_ = 0.0f;
        bands_.fill(1.0f);
        spread();
        if (resampler_) resampler_->reset();
        if (network_) network_->restart();
    }
    /// Copies the state of `other`, created with the same arguments.
    void follow(const NeuralGainEstimator& other) {
        frame_ = other.frame_;
        filled_ = other.filled_;
        voice_ = other.voice_;
        bands_ = other.bands_;
        resampler_ = other.resampler_;
        std::copy(other.gains_.begin(), other.gains_.end(), gains_.begin());
        failed_ = failed_ || other.failed_;
        if (!failed() && !network_->follow(*other.network_)) network_->restart();
    }
    /// Amplitude gain per bin, 0 to 1.
    const std::vector<float>& gains() const { return gains_; }
    float voice() const { return voice_; }
    bool failed() const { return failed_ || !network_; }

  private:
    struct Place {
        int band;
        float share;  // share of the band above
    };
    void take(float x) {
        frame_[filled_] = x;
        if (++filled_ < frame_.size()) return;
        filled_ = 0;
        if (failed()) return;
        failed_ = !network_->judge(frame_.data(), bands_.data(), voice_);
        spread();
    }
    void spread() {
        for (size_t k = 0; k < gains_.size(); ++k) {
            const auto band = static_cast<size_t>(places_[k].band);
            gains_[k] = bands_[band] + places_[k].share * (bands_[band + 1] - bands_[band]);
        }
    }

    std::unique_ptr<VoiceNetwork> network_;
    std::optional<StreamResampler> resampler_;
    std::array<float, VoiceNetwork::kFrame> frame_{};
    size_t offset_, filled_;
    std::array<float, VoiceNetwork::kBands> bands_{};
    std::vector<float> gains_;
    std::vector<Place> places_;
    float voice_ = 0.0f;
    bool failed_ = false;
};

}  // namespace reed
