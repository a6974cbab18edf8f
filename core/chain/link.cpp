#include "chain/link.h"

#include <algorithm>
#include <cmath>

#include "stages/missing.h"

namespace reed {
namespace {
constexpr float kAbsurd = 1e6f;
}  // namespace

Link Link::make(const StageSpec& spec, const StreamFormat& format) {
    Link link;
    link.id = spec.id;
    link.kind = spec.kind;
    link.key = spec.key;
    auto made = spec.stage_kind().make();
    link.stage = made.ok()
                     ? std::move(made.value())
                     : make_passthrough_stage(made.error().text() + " The signal passes through unchanged.");
    link.stage->teach(spec.taught);
    link.stage->prepare(format, spec.values);
    link.active.prepare(format.sample_rate, 0.005, spec.bypass ? 0.0 : 1.0);
    for (auto& d : link.dry) d.prepare(link.stage->latency());
    const auto rests = spec.stage_kind().rests;
    link.may_rest = rests != nullptr && rests(spec.values);
    link.slot_count = spec.values.size();
    return link;
}

std::uint64_t Link::run(const AudioBlock& block) noexcept {
    const bool off = !active.moving() && active.sub_block_value() == 0.0;
    if (resting && !off) stage->reset();  // a change that was posted without a new chain
    resting = off && may_rest;
    if (resting) {
        for (int c = 0; c < block.channels; ++c) dry[c].process(block[c], block[c], block.frames);
        return 0;
    }
    const bool always_on = !active.moving() && active.sub_block_value() == 1.0;
    float past[kMaxChannels][kSubBlock];
    for (int c = 0; c < block.channels; ++c) {
        // The delayed dry sound is kept up to date even while unused, so that bypass needs no run-up.
        if (dry[c].delay() > 0 || !always_on) dry[c].process(block[c], past[c], block.frames);
    }
    stage->process(block);
    std::uint64_t faults = 0;
    if (!healthy(block)) {
        faults = repair(block);
        stage->reset();
    }
    if (always_on) return faults;
    for (int i = 0; i < block.frames; ++i) {
        const float wet = active.next();
        for (int c = 0; c < block.channels; ++c) {
            // With wet at exactly 0 the dry sound comes out bit for bit.
            block[c][i] = past[c][i] + wet * (block[c][i] - past[c][i]);
        }
    }
    return faults;
}

bool healthy(const AudioBlock& block) noexcept {
    // One comparison per sample that is false for NaN, infinity and absurd values alike.
    int good = 0;
    for (int c = 0; c < block.channels; ++c) {
        const float* x = block[c];
        for (int i = 0; i < block.frames; ++i) good += std::abs(x[i]) < kAbsurd ? 1 : 0;
    }
    return good == block.channels * block.frames;
}

bool silence_unhealthy(const AudioBlock& block) noexcept {
    if (healthy(block)) return true;
    for (int c = 0; c < block.channels; ++c) std::fill_n(block[c], block.frames, 0.0f);
    return false;
}

std::uint64_t repair(const AudioBlock& block) noexcept {
    std::uint64_t count = 0;
    for (int c = 0; c < block.channels; ++c) {
        for (int i = 0; i < block.frames; ++i) {
            if (std::abs(block[c][i]) < kAbsurd) continue;
            block[c][i] = 0.0f;
            ++count;
        }
    }
    return count;
}

}  // namespace reed
