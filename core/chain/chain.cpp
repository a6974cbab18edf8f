#include "chain/chain.h"

#include <chrono>
#include <cmath>

#include "base/flush_to_zero.h"
#include "stages/missing.h"

namespace reed {
namespace {
constexpr float kAbsurd = 1e6f;  // +120 dBFS: no sound card sends it, a broken stage might
}

Result<std::unique_ptr<Chain>> Chain::build(const ChainSpec& spec, const StreamFormat& format,
                                            std::uint32_t serial) {
    const auto problems = chain_problems(spec);
    if (!problems.empty()) return problems.front();
    if (!(format.sample_rate >= kMinSampleRate && format.sample_rate <= kMaxSampleRate)) {
        return Error{"the sample rate " + std::to_string(std::lround(format.sample_rate)) +
                         " Hz is outside 44100 to 192000 Hz.",
                     "", "Convert the sound to 48000 Hz first."};
    }
    if (format.channels < 1 || format.channels > kMaxChannels) {
        return Error{"it has " + std::to_string(format.channels) + " channels; the chain takes 1 or 2.", "",
                     "Pick the channel with the voice first."};
    }
    std::unique_ptr<Chain> chain(new Chain);
    chain->format_ = format;
    chain->serial_ = serial;
    chain->tap_length_ = static_cast<int>(std::lround(kTapFrameSeconds * format.sample_rate));
    size_t slots = 0;
    for (const auto& s : spec.stages) {
        Link link;
        link.id = s.id;
        link.kind = s.kind;
        link.key = s.key;
        link.lead = chain->latency_;
        auto made = s.stage_kind().make();
        link.stage = made.ok() ? std::move(made.value())
                               : make_passing_stage(made.error().text() + " The sound passes unchanged.");
        link.stage->teach(s.taught);
        link.stage->prepare(format, s.values);
        link.active.prepare(format.sample_rate, 0.005, s.bypass ? 0.0 : 1.0);
        for (auto& d : link.dry) d.prepare(link.stage->latency());
        const auto rests = s.stage_kind().rests;
        link.may_rest = rests != nullptr && rests(s.values);
        link.first_slot = slots;
        link.slot_count = s.values.size();
        slots += s.values.size() + 1;
        chain->latency_ += link.stage->latency();
        chain->links_.push_back(std::move(link));
    }
    chain->slots_ = std::vector<std::atomic<double>>(slots);
    chain->fetched_.resize(slots);
    chain->meters_.resize(spec.stages.size() + 1);
    std::int64_t skip = 0;
    for (size_t i = 0; i < chain->links_.size(); ++i) {
        skip += chain->links_[i].stage->latency();
        chain->meters_[i + 1].skip = skip;
    }
    chain->post(spec);
    chain->fetch_slots();
    return chain;
}

void Chain::take_memories(const Chain& other) {
    for (Link& mine : links_) {
        for (const Link& theirs : other.links_) {
            if (mine.id != theirs.id || mine.kind != theirs.kind) continue;
            if (const auto memory = theirs.stage->memory(); !memory.empty()) mine.stage->remember(memory);
        }
    }
}

void Chain::post(const ChainSpec& spec) {
    for (size_t i = 0; i < links_.size(); ++i) {
        const StageSpec& s = spec.stages[i];
        std::atomic<double>* slot = &slots_[links_[i].first_slot];
        for (const double v : s.values) (slot++)->store(v, std::memory_order_relaxed);
        slot->store(s.bypass ? 1.0 : 0.0, std::memory_order_relaxed);
    }
    posted_.fetch_add(1, std::memory_order_release);
}

void Chain::post_changes(const ChainSpec& before, const ChainSpec& after) {
    for (const Link& link : links_) {
        const int from = before.index_of(link.id);
        const int to = after.index_of(link.id);
        if (from < 0 || to < 0) continue;
        const StageSpec& old = before.stages[static_cast<size_t>(from)];
        const StageSpec& now = after.stages[static_cast<size_t>(to)];
        if (old.kind != link.kind || now.kind != link.kind) continue;
        const auto& table = now.stage_kind().parameters;
        for (size_t p = 0; p < table.size(); ++p) {
            if (old.values[p] != now.values[p] && !table[p].structural)
                slots_[link.first_slot + p].store(now.values[p], std::memory_order_relaxed);
        }
        if (old.bypass != now.bypass)
            slots_[link.first_slot + link.slot_count].store(now.bypass ? 1.0 : 0.0,
                                                            std::memory_order_relaxed);
    }
    posted_.fetch_add(1, std::memory_order_release);
}

bool Chain::wakes(const ChainSpec& spec) const {
    for (size_t i = 0; i < links_.size(); ++i) {
        const Link& link = links_[i];
        const auto& bypassed = slots_[link.first_slot + link.slot_count];
        if (link.may_rest && !spec.stages[i].bypass && bypassed.load(std::memory_order_relaxed) >= 0.5)
            return true;
    }
    return false;
}

void Chain::fetch_slots() noexcept {
    const std::uint32_t posted = posted_.load(std::memory_order_acquire);
    if (posted == followed_) return;
    followed_ = posted;
    for (auto& link : links_) {
        bool changed = false;
        for (size_t k = 0; k <= link.slot_count; ++k) {
            const size_t slot = link.first_slot + k;
            const double v = slots_[slot].load(std::memory_order_relaxed);
            changed = changed || v != fetched_[slot];
            fetched_[slot] = v;
        }
        if (!changed) continue;
        link.stage->set_values({&fetched_[link.first_slot], link.slot_count});
        link.active.set(fetched_[link.first_slot + link.slot_count] >= 0.5 ? 0.0 : 1.0);
    }
}

std::vector<float> Chain::readouts(size_t stage) const {
    std::vector<float> out;
    const StageKind* kind = stage < links_.size() ? find_stage_kind(links_[stage].kind) : nullptr;
    for (size_t i = 0; kind != nullptr && i < kind->readouts.size(); ++i)
        out.push_back(links_[stage].stage->readout(i));
    return out;
}

void Chain::process(const AudioBlock& block, const Listener& listener, const Keys& keys) noexcept {
    const FlushToZero no_denormals;
    for (int done = 0; done < block.frames;) {
        if (in_grain_ == 0) {
            fetch_slots();
            for (auto& link : links_) {
                link.stage->begin_grain();
                link.active.begin_grain();
            }
        }
        const int n = std::min(block.frames - done, kGrain - in_grain_);
        process_grain(block.slice(done, n), listener, keys, {done, block.frames});
        in_grain_ = (in_grain_ + n) % kGrain;
        done += n;
    }
}

int Chain::delay_for(std::span<const Key> keys) const noexcept {
    int out = 0;
    for (const Link& link : links_) {
        if (const Key* key = link.key.empty() ? nullptr : Keys{keys}.find(link.key))
            out = std::max(out, key->latency - link.lead);
    }
    return out;
}

/// A key that is not known is sound of no channels.
void Chain::give_key(Link& link, const Keys& keys, Place place, int frames) noexcept {
    const Key* key = keys.find(link.key);
    side_ = {{side_rows_[0], side_rows_[1]}, key != nullptr ? key->sound->channels() : 0, frames};
    if (key != nullptr) {
        const int later = place.frames - place.at - frames;  // of the block, behind this grain
        key->sound->read(keys.delay + link.lead - key->latency + later, side_);
    }
    link.stage->set_side_chain(&side_);
}

void Chain::process_grain(const AudioBlock& block, const Listener& listener, const Keys& keys,
                          Place place) noexcept {
    if (!healthy(block)) repair(block);
    meter(0, block);
    const auto copy_out = [&] {
        for (int c = 0; c < listener.out.channels; ++c)
            std::copy_n(block[std::min(c, block.channels - 1)], block.frames, listener.out[c] + place.at);
    };
    if (listener.tap == 0) copy_out();
    const int probed = listener.probe != nullptr ? listener.probe->stage.load(std::memory_order_relaxed) : -1;
    voice_ = -1.0f;
    auto before = std::chrono::steady_clock::now();
    for (size_t i = 0; i < links_.size(); ++i) {
        Link& link = links_[i];
        link.stage->set_voice(voice_);
        if (!link.key.empty()) give_key(link, keys, place, block.frames);
        if (static_cast<int>(i) == probed) listener.probe->before.write(block);
        run_link(link, block);
        if (static_cast<int>(i) == probed) listener.probe->after.write(block);
        if (static_cast<int>(i) + 1 == listener.tap) copy_out();
        const float heard = link.resting ? -1.0f : link.stage->voice_probability();
        if (heard >= 0.0f) voice_ = heard;
        meter(i + 1, block);
        const auto now = std::chrono::steady_clock::now();
        meters_[i + 1].busy += std::chrono::duration<float>(now - before).count();
        before = now;
    }
}

void Chain::run_link(Link& link, const AudioBlock& block) noexcept {
    const bool off = !link.active.moving() && link.active.grain_value() == 0.0;
    if (link.resting && !off) link.stage->reset();  // a change that was posted without a new chain
    link.resting = off && link.may_rest;
    if (link.resting) {
        for (int c = 0; c < block.channels; ++c) link.dry[c].process(block[c], block[c], block.frames);
        return;
    }
    const bool always_on = !link.active.moving() && link.active.grain_value() == 1.0;
    float dry[kMaxChannels][kGrain];
    for (int c = 0; c < block.channels; ++c) {
        // The delayed dry sound is kept up to date even while unused, so that bypass needs no run-up.
        if (link.dry[c].delay() > 0 || !always_on) link.dry[c].process(block[c], dry[c], block.frames);
    }
    link.stage->process(block);
    if (!healthy(block)) {
        repair(block);
        link.stage->reset();
    }
    if (always_on) return;
    for (int i = 0; i < block.frames; ++i) {
        const float wet = link.active.next();
        for (int c = 0; c < block.channels; ++c) {
            // With wet at exactly 0 the dry sound comes out bit for bit.
            block[c][i] = dry[c][i] + wet * (block[c][i] - dry[c][i]);
        }
    }
}

void Chain::meter(size_t tap, const AudioBlock& block) noexcept {
    if (taps_to_ == nullptr) return;
    Meter& m = meters_[tap];
    int start = 0;
    if (m.skip > 0) {
        start = static_cast<int>(std::min<std::int64_t>(m.skip, block.frames));
        m.skip -= start;
    }
    while (start < block.frames) {
        const int n = std::min(block.frames - start, tap_length_ - m.filled);
        for (int c = 0; c < block.channels; ++c) {
            const float* x = block[c] + start;
            float peak = m.peak;
            float power = 0.0f;
            for (int i = 0; i < n; ++i) {
                peak = std::max(peak, std::abs(x[i]));
                power += x[i] * x[i];
            }
            m.peak = peak;
            m.power[c] += power;
        }
        m.filled += n;
        start += n;
        if (m.filled == tap_length_) close_frame(tap);
    }
}

void Chain::close_frame(size_t tap) noexcept {
    Meter& m = meters_[tap];
    TapFrame frame;
    frame.index = m.index++;
    frame.chain = serial_;
    frame.tap = static_cast<std::int16_t>(tap);
    frame.peak = m.peak;
    frame.mean_square = static_cast<float>(std::max(m.power[0], m.power[1]) / tap_length_);
    if (tap > 0) {
        Link& link = links_[tap - 1];
        frame.reduction_db = link.stage->take_reduction() * static_cast<float>(link.active.grain_value());
    }
    frame.voice = voice_;
    frame.busy = m.busy * static_cast<float>(1.0 / kTapFrameSeconds);
    m.busy = 0.0f;
    (void)taps_to_->try_enqueue(frame);  // a full queue means nobody looks; the sound goes on
    m.filled = 0;
    m.peak = 0.0f;
    m.power[0] = m.power[1] = 0.0;
}

bool Chain::healthy(const AudioBlock& block) const noexcept {
    // One comparison per sample that is false for NaN, infinity and absurd values alike.
    int good = 0;
    for (int c = 0; c < block.channels; ++c) {
        const float* x = block[c];
        for (int i = 0; i < block.frames; ++i) good += std::abs(x[i]) < kAbsurd ? 1 : 0;
    }
    return good == block.channels * block.frames;
}

void Chain::repair(const AudioBlock& block) noexcept {
    std::uint64_t count = 0;
    for (int c = 0; c < block.channels; ++c) {
        for (int i = 0; i < block.frames; ++i) {
            if (std::abs(block[c][i]) < kAbsurd) continue;
            block[c][i] = 0.0f;
            ++count;
        }
    }
    faults_.fetch_add(count, std::memory_order_relaxed);
}

}  // namespace reed
