#include "measure/voice_detector.h"

#include <algorithm>
#include <cmath>

#include "base/flush_to_zero.h"
#include "chain/tap.h"

namespace reed {

VoiceDetector::VoiceDetector(double sample_rate)
    : rate_(sample_rate), heard_(static_cast<size_t>(kKeptSeconds / kTapFrameSeconds), -1.0f) {
    auto made = make_voice_network();
    if (made.ok()) network_ = std::move(made.value());
    const int rate = static_cast<int>(std::lround(sample_rate));
    if (rate != VoiceNetwork::kRate) resampler_.emplace(rate, VoiceNetwork::kRate);
    frame_.reserve(VoiceNetwork::kFrame);
}

void VoiceDetector::add(const float* x, int frames) {
    if (!network_) return;
    const FlushToZero no_denormals;
    if (resampler_) {
        resampler_->process(x, frames, [this](float y) { take(y); });
    } else {
        for (int i = 0; i < frames; ++i) take(x[i]);
    }
}

void VoiceDetector::take(float x) {
    frame_.push_back(x);
    if (frame_.size() < VoiceNetwork::kFrame) return;
    float gains[VoiceNetwork::kBands];
    float voice = -1.0f;
    if (network_ && !network_->judge(frame_.data(), gains, voice)) network_.reset();
    frame_.clear();
    if (network_) heard_[static_cast<size_t>(pieces_++) % heard_.size()] = voice;
}

float VoiceDetector::at(std::int64_t at) const {
    constexpr std::int64_t kOnTheWay = 12;
    auto piece = static_cast<std::int64_t>(std::lround(static_cast<double>(at) / (kTapFrameSeconds * rate_)));
    if (pieces_ > 0 && piece >= pieces_ && piece < pieces_ + kOnTheWay) piece = pieces_ - 1;
    if (piece < 0 || piece >= pieces_ || piece < pieces_ - static_cast<std::int64_t>(heard_.size()))
        return -1.0f;
    return heard_[static_cast<size_t>(piece) % heard_.size()];
}

}  // namespace reed
