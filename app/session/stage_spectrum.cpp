#include "session/stage_spectrum.h"

#include <algorithm>

namespace reed::ui {
namespace {
constexpr int kPiece = 2048;
}  // namespace

void StageSpectrum::begin() {
    rate_ = engine_.format().sample_rate;
    before_ = std::make_unique<SpectrumMeter>(rate_, kLength, kAverageSeconds);
    after_ = std::make_unique<SpectrumMeter>(rate_, kLength, kAverageSeconds);
    finder_ = std::make_unique<ResonanceFinder>(rate_);
    piece_ = AudioBuffer(kMaxChannels, kPiece);
    read_ = engine_.probed().before.written();
}

void StageSpectrum::follow(int stage) {
    if (stage == stage_) return;
    stage_ = stage;
    before_.reset();
}

void StageSpectrum::restartHold() {
    if (before_) begin();
}

void StageSpectrum::poll() {
    fresh_ = false;
    const bool wanted = alive_ticks_ > 0 && stage_ >= 0;
    alive_ticks_ = std::max(0, alive_ticks_ - 1);
    engine_.probe(wanted ? stage_ : -1);
    if (!wanted) return;
    const Probe& probe = engine_.probed();
    if (!before_ || rate_ != engine_.format().sample_rate || probe.before.written() < read_) begin();
    // Both rings are written grain by grain; the one behind tells how far both are there.
    const std::int64_t until = std::min(probe.before.written(), probe.after.written());
    if (until - read_ > static_cast<std::int64_t>(rate_)) read_ = until - static_cast<std::int64_t>(rate_);
    const LevelReport& levels = readings_.levels();
    const bool speaking = !levels.taps.empty() && levels.taps[0].voice_known &&
                          levels.taps[0].now > levels.taps[0].voice_low - 3.0;
    while (read_ < until) {
        const int n = static_cast<int>(std::min<std::int64_t>(kPiece, until - read_));
        float* rows[kMaxChannels] = {piece_[0].data(), piece_[1].data()};
        const std::span<const float> sound(piece_[0].data(), static_cast<size_t>(n));
        if (!probe.before.read(read_, n, rows)) break;
        before_->add(sound);
        finder_->add(sound, speaking);
        if (!probe.after.read(read_, n, rows)) break;
        after_->add(sound);
        read_ += n;
        fresh_ = true;
    }
}

}  // namespace reed::ui
