#include "mixer/mixer.h"

#include <algorithm>

#include "base/flush_to_zero.h"
#include "chain/link.h"

namespace reed {
namespace {

constexpr int kPiece = SidechainBuffer::kLongest;
constexpr double kLongestDelay = 0.3;  // seconds; SidechainBuffer keeps no more at 192 kHz
constexpr double kHistorySeconds = 12.0;

}  // namespace

void Strip::open(Engine::Prepared prepared) {
    const StreamFormat format = prepared.format;
    const int longest = static_cast<int>(kLongestDelay * format.sample_rate);
    engine_.open(std::move(prepared));
    before_.prepare(format, longest);
    after_.prepare(format, longest);
    key_.prepare(format.channels);
    begun_ = false;
}

void Strip::fetch(const AudioBlock& block) noexcept {
    for (int c = 0; c < block.channels; ++c) std::fill_n(block[c], block.frames, 0.0f);
}

Mixer::Mixer() : feed_(std::make_shared<HistoryRing>(1, 2)) {}
Mixer::~Mixer() = default;

Result<void> Mixer::open(const StreamFormat& feed) {
    ChainSpec lid;
    lid.stages.push_back(new_stage({}, *find_stage_kind("limiter")));
    lid.stages.back().set("ceiling", kOutputCeiling);
    auto built = Chain::build(lid, feed);
    if (!built.ok()) return built.error();
    lid_ = std::move(built.value());
    format_ = feed;
    feed_ =
        std::make_shared<HistoryRing>(feed.channels, static_cast<size_t>(kHistorySeconds * feed.sample_rate));
    voices_.prepare(feed.channels);
    lidded_ = AudioBuffer(feed.channels, kPiece);
    for (auto& f : fetched_) f = AudioBuffer(kMaxChannels, kPiece);
    lid_share_.prepare(feed.sample_rate, 0.004, 0.0);
    in_grain_ = 0;
    return {};
}

void Mixer::arrange(const std::vector<std::shared_ptr<Strip>>& strips, const std::vector<size_t>& order) {
    auto plan = std::make_unique<Plan>();
    plan->strips = strips;
    plan->order = order;
    plan->voices = static_cast<size_t>(
        std::ranges::count_if(strips, [](const auto& s) { return s->role() == StripRole::voice; }));
    plan_ = plan.get();
    plans_.push_back(std::move(plan));
    tend();
}

void Mixer::tend() {
    // Those before the one in use, or before the newest when none is.
    const Plan* in_use = in_use_;
    while (plans_.size() > 1 && plans_.front().get() != in_use) plans_.erase(plans_.begin());
}

std::vector<std::shared_ptr<Strip>> Mixer::strips() const {
    return plans_.empty() ? std::vector<std::shared_ptr<Strip>>() : plans_.back()->strips;
}

// ---- the audio thread ----

/// Announces the use before the pointer is read again: if it is still the newest, it is not freed meanwhile.
const Mixer::Plan* Mixer::take_plan() noexcept {
    const Plan* plan = plan_;
    for (in_use_ = plan; plan != plan_; in_use_ = plan) plan = plan_;
    return plan;
}

void Mixer::finish(const AudioBlock& feed) noexcept {
    (void)silence_unhealthy(feed);
    feed_->write(feed);
    in_use_ = nullptr;
}

bool Mixer::process(std::span<const AudioBlock> sounds, const AudioBlock& feed) noexcept {
    const FlushToZero no_denormals;
    for (int c = 0; c < feed.channels; ++c) std::fill_n(feed[c], feed.frames, 0.0f);
    const Plan* plan = take_plan();
    const bool fits = plan != nullptr && sounds.size() == plan->strips.size();
    if (fits) {
        for (int done = 0; done < feed.frames; done += kPiece)
            process_piece(*plan, sounds, done, feed.slice(done, std::min(kPiece, feed.frames - done)));
    }
    finish(feed);
    return fits;
}

bool Mixer::process(const Strip& here, const AudioBlock& block, const AudioBlock& feed) noexcept {
    const FlushToZero no_denormals;
    for (int c = 0; c < feed.channels; ++c) std::fill_n(feed[c], feed.frames, 0.0f);
    const Plan* plan = take_plan();
    const bool fits =
        plan != nullptr && std::ranges::any_of(plan->strips, [&](const auto& s) { return s.get() == &here; });
    if (fits) {
        AudioBlock sounds[kMostStrips];
        for (size_t i = 0; i < plan->strips.size(); ++i) {
            Strip& s = *plan->strips[i];
            sounds[i] = &s == &here ? block : fetched_[i].block(0, feed.frames);
            sounds[i].channels = s.engine_.format().channels;
            if (&s != &here) s.fetch(sounds[i]);
            s.came(sounds[i]);
        }
        process_piece(*plan, {sounds, plan->strips.size()}, 0, feed);
        for (size_t i = 0; i < plan->strips.size(); ++i) plan->strips[i]->gave(sounds[i]);
    }
    finish(feed);
    return fits;
}

void Mixer::process_piece(const Plan& plan, std::span<const AudioBlock> sounds, int from,
                          const AudioBlock& feed) noexcept {
    key_count_ = 0;
    size_t voices_left = plan.voices;
    if (voices_left == 0) sum_up(plan, sounds, from, feed);
    for (const size_t i : plan.order) {
        run_strip(*plan.strips[i], sounds[i].slice(from, feed.frames));
        if (plan.strips[i]->role_ == StripRole::voice && --voices_left == 0) sum_up(plan, sounds, from, feed);
    }
    const bool limited = plan.voices > 1 || limits_single_.load(std::memory_order_relaxed);
    apply_output_limiter(limited, feed);
    latency_ = slowest_ + (limited ? lid_->latency() : 0);
}

void Mixer::run_strip(Strip& s, const AudioBlock& block) noexcept {
    const ChainRunner& chain = s.engine_.chain();
    const std::span<const Key> keys(keys_, key_count_);
    const int own = chain.latency_now();
    int wait = chain.sidechain_delay(keys);
    // App audio that runs before the voices, as a sidechain, uses their latency of the previous block.
    if (s.role_ == StripRole::programme) wait = std::max(wait, slowest_ - own);
    s.begun_ ? s.before_.set(wait) : s.before_.snap(wait);
    s.before_.process(block);
    const int waits = s.before_.delay();
    s.engine_.process(block, {keys, waits});
    s.latency_ = waits + own;
    s.key_.write(block);
    keys_[key_count_++] = {s.id_, &s.key_, waits + own};
    if (s.role_ == StripRole::programme) s.begun_ = true;
}

/// All voices have been run: they are aligned and added up.
void Mixer::sum_up(const Plan& plan, std::span<const AudioBlock> sounds, int from,
                   const AudioBlock& feed) noexcept {
    int slowest = 0;
    for (const auto& s : plan.strips) {
        if (s->role_ == StripRole::voice) slowest = std::max(slowest, s->latency());
    }
    for (size_t i = 0; i < plan.strips.size(); ++i) {
        Strip& s = *plan.strips[i];
        if (s.role_ != StripRole::voice) continue;
        const AudioBlock block = sounds[i].slice(from, feed.frames);
        const int wait = slowest - s.latency();
        s.begun_ ? s.after_.set(wait) : s.after_.snap(wait);
        s.begun_ = true;
        s.after_.process(block);
        const bool fold = block.channels > feed.channels;
        for (int c = 0; c < feed.channels; ++c) {
            const float* x = block[std::min(c, block.channels - 1)];
            for (int k = 0; k < feed.frames; ++k)
                feed[c][k] += fold ? 0.5f * (block[0][k] + block[1][k]) : x[k];
        }
    }
    voices_.write(feed);
    keys_[key_count_++] = {kAllVoices, &voices_, slowest};
    slowest_ = slowest;
}

/// Switched by a fade.
void Mixer::apply_output_limiter(bool wanted, const AudioBlock& feed) noexcept {
    lid_share_.set(wanted ? 1.0 : 0.0);
    if (!wanted && !lid_share_.moving() && lid_share_.sub_block_value() == 0.0) return;
    const AudioBlock under = lidded_.block(0, feed.frames);
    for (int c = 0; c < feed.channels; ++c) std::copy_n(feed[c], feed.frames, under[c]);
    lid_->process(under);
    for (int i = 0; i < feed.frames; ++i) {
        if (in_grain_ == 0) lid_share_.begin_sub_block();
        in_grain_ = (in_grain_ + 1) % kSubBlock;
        const float share = lid_share_.next();
        for (int c = 0; c < feed.channels; ++c) {
            // With the whole of it the sum itself is not looked at any more.
            feed[c][i] = share >= 1.0f ? under[c][i] : feed[c][i] + share * (under[c][i] - feed[c][i]);
        }
    }
}

}  // namespace reed
