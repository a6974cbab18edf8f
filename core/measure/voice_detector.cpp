#include "measure/voice_detector.h"

#include <algorithm>
#include <cmath>

#include "base/flush_to_zero.h"
#include "chain/tap.h"

namespace reed {

VoiceDetector::VoiceDetector(double sample_rate)
    : rate_(sample_rate), heard_(static_cast<size_t>(kKeptSeconds / kTapFrameSeconds), -1.0f) {
    auto made = make_frame_suppressor();
    if (made.ok()) network_ = std::move(made.value());
    if (sample_rate != FrameSuppressor::kRate) resampler_.emplace(sample_rate, FrameSuppressor::kRate);
}

void VoiceDetector::add(const float* x, int frames) {
    if (!network_) return;
    const FlushToZero no_denormals;
    if (resampler_) {
        const size_t before = waiting_.size();
        const auto room = static_cast<size_t>(std::ceil(frames * FrameSuppressor::kRate / rate_)) + 4096;
        waiting_.resize(before + room);
        const int got = resampler_->process(x, frames, waiting_.data() + before, static_cast<int>(room));
        waiting_.resize(before + static_cast<size_t>(got));
    } else {
        waiting_.insert(waiting_.end(), x, x + frames);
    }
    size_t done = 0;
    for (; done + FrameSuppressor::kFrame <= waiting_.size(); done += FrameSuppressor::kFrame)
        run(&waiting_[done]);
    waiting_.erase(waiting_.begin(), waiting_.begin() + static_cast<std::ptrdiff_t>(done));
}

void VoiceDetector::run(const float* frame) {
    float out[FrameSuppressor::kFrame];
    float voice = -1.0f;
    if (!network_->process(frame, out, voice)) {
        network_.reset();
        return;
    }
    heard_[static_cast<size_t>(pieces_++) % heard_.size()] = voice;
}

float VoiceDetector::at(std::int64_t at) const {
    const auto piece =
        static_cast<std::int64_t>(std::lround(static_cast<double>(at) / (kTapFrameSeconds * rate_)));
    if (piece < 0 || piece >= pieces_ || piece < pieces_ - static_cast<std::int64_t>(heard_.size()))
        return -1.0f;
    return heard_[static_cast<size_t>(piece) % heard_.size()];
}

}  // namespace reed
