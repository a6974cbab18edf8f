#include "model/chain/stage_spectrum.h"

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
    heard_.skip_to_newest();
    left_.seek(heard_.at());
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
    engine_.chain().probe(wanted ? stage_ : -1);
    if (!wanted) return;
    const auto probe = engine_.chain().probed();
    const bool another = heard_.follow({probe, &probe->before});
    left_.follow({probe, &probe->after});
    if (!before_ || another) begin();
    // Both rings are written by sub-blocks, to the same frame; the one behind limits what can be read of
    // both.
    const auto both = [this] { return std::min(heard_.waiting(), left_.waiting()); };
    if (const auto late = both() - static_cast<std::int64_t>(rate_); late > 0) {
        heard_.seek(heard_.at() + late);
        left_.seek(heard_.at());
    }
    const LevelReport& levels = readings_.levels();
    const bool speaking = !levels.taps.empty() && levels.taps[0].voice_known &&
                          levels.taps[0].now > levels.taps[0].voice_low - 3.0;
    const auto first_channel = [](const AudioBlock& piece) {
        return std::span<const float>(piece[0], static_cast<size_t>(piece.frames));
    };
    AudioBlock before, after;
    for (auto n = both(); n > 0; n = both()) {
        const auto most = static_cast<int>(std::min<std::int64_t>(kPiece, n));
        if (heard_.next(most, before) != RingReader::Got::sound ||
            left_.next(most, after) != RingReader::Got::sound)
            return begin();
        before_->add(first_channel(before));
        finder_->add(first_channel(before), speaking);
        after_->add(first_channel(after));
        fresh_ = true;
    }
}

}  // namespace reed::ui
