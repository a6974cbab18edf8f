#include "measure/voice_detector.h"

#include <algorithm>
#include <cmath>

#include "base/flush_to_zero.h"
#include "chain/tap.h"

namespace reed {

VoiceDetector::VoiceDetector(double sample_rate)
    : rate_(sample_rate),
      frame_(
          static_cast<size_t>(std::lround(sample_rate * FrameSuppressor::kFrame / FrameSuppressor::kRate))),
      heard_(static_cast<size_t>(kKeptSeconds / kTapFrameSeconds), -1.0f) {
    auto made = make_frame_suppressor();
    if (made.ok()) network_ = std::move(made.value());
    if (sample_rate != FrameSuppressor::kRate)
        bridge_.emplace(sample_rate, static_cast<int>(frame_), FrameSuppressor::kRate,
                        FrameSuppressor::kFrame);
}

void VoiceDetector::add(const float* x, int frames) {
    if (!network_) return;
    const FlushToZero no_denormals;
    waiting_.insert(waiting_.end(), x, x + frames);
    size_t done = 0;
    for (; done + frame_ <= waiting_.size(); done += frame_) {
        if (bridge_)
            bridge_->process(&waiting_[done], [this](float* inner) { run(inner); });
        else
            run(&waiting_[done]);
    }
    waiting_.erase(waiting_.begin(), waiting_.begin() + static_cast<std::ptrdiff_t>(done));
}

void VoiceDetector::run(const float* frame) {
    float out[FrameSuppressor::kFrame];
    float voice = -1.0f;
    if (!network_ || !network_->process(frame, out, voice)) {
        network_.reset();
        return;
    }
    heard_[static_cast<size_t>(pieces_++) % heard_.size()] = voice;
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
