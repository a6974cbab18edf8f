#include "chain/character.h"

#include <algorithm>

#include "chain/fade.h"

namespace reed {
namespace {

/// Aim relative to the input, as a factor: slightly below it, because a sentence may end before it is
/// measured.
constexpr double kAim = 0.95;

}  // namespace

Character::Character(const CharacterSpec& spec, const StreamFormat& format) : name_(spec.name) {
    links_.reserve(spec.stages.size());
    for (const StageSpec& stage : spec.stages) {
        links_.push_back(Link::make(stage, format));
        latency_ += links_.back().stage->latency();
    }
    loudness_.prepare(format, latency_);
    loudness_.allow(0.0, 1.0, kAim);
    loudness_.leave_out_pauses();
    step_ = static_cast<float>(1.0 / (kShortestFade * format.sample_rate));
    silent_ = latency_;
}

void Character::begin_sub_block(bool wanted) noexcept {
    wanted_ = wanted;
    if (runs_ && !wanted && share_ == 0.0f) {
        // What it has heard is of no use the next time.
        for (Link& link : links_) {
            link.stage->reset();
            for (auto& d : link.dry) d.reset();
        }
        loudness_.reset();
        silent_ = latency_;
        runs_ = false;
    }
    runs_ = runs_ || wanted;
    if (!runs_) return;
    for (Link& link : links_) {
        link.stage->begin_sub_block();
        link.active.begin_sub_block();
    }
    loudness_.begin_sub_block();
}

std::uint64_t Character::run(const AudioBlock& input, const AudioBlock& sound) noexcept {
    if (!runs_) return 0;
    loudness_.hear(input);
    std::uint64_t faults = 0;
    for (Link& link : links_) faults += link.run(input);
    loudness_.process(input);
    for (int i = 0; i < sound.frames; ++i) {
        if (silent_ > 0)
            --silent_;
        else
            share_ = std::clamp(share_ + (wanted_ ? step_ : -step_), 0.0f, 1.0f);
        const float weight = share_ * share_ * (3.0f - 2.0f * share_);
        for (int c = 0; c < sound.channels; ++c) sound[c][i] += weight * (input[c][i] - sound[c][i]);
    }
    return faults;
}

}  // namespace reed
