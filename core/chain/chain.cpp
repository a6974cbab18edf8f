#include "chain/chain.h"

#include <algorithm>
#include <chrono>
#include <cmath>

#include "base/flush_to_zero.h"

namespace reed {

Result<std::unique_ptr<Chain>> Chain::build(const ChainSpec& spec, const StreamFormat& format,
                                            std::uint32_t serial) {
    const auto problems = chain_problems(spec);
    if (!problems.empty()) return problems.front();
    if (!(format.sample_rate >= kMinSampleRate && format.sample_rate <= kMaxSampleRate)) {
        return Error{"The sample rate " + std::to_string(std::lround(format.sample_rate)) +
                         " Hz is outside 44100 to 192000 Hz.",
                     "", "Convert the audio to 48000 Hz first."};
    }
    if (format.channels < 1 || format.channels > kMaxChannels) {
        return Error{"The audio has " + std::to_string(format.channels) + " channels; a chain needs 1 or 2.",
                     "", "Pick the channel with the voice first."};
    }
    std::unique_ptr<Chain> chain(new Chain);
    chain->format_ = format;
    chain->serial_ = serial;
    chain->tap_length_ = static_cast<int>(std::lround(kTapFrameSeconds * format.sample_rate));
    size_t slots = 0;
    for (const auto& stage : spec.stages) {
        if (stage.stage_kind().lid) chain->lid_ = chain->links_.size();
        Link link = Link::make(stage, format);
        link.lead = chain->latency_;
        add_slots(link, slots);
        chain->latency_ += link.stage->latency();
        chain->links_.push_back(std::move(link));
    }
    if (chain->lid_ == 0 && (spec.stages.empty() || !spec.stages.front().stage_kind().lid))
        chain->lid_ = spec.stages.size();
    const auto least = static_cast<int>(std::lround(spec.least_latency * 1e-3 * format.sample_rate));
    const int padding = std::max(0, least - chain->latency_);
    chain->padding_.prepare(format, padding);
    chain->latency_ += padding;
    for (size_t i = chain->lid_; i < chain->links_.size(); ++i) chain->links_[i].lead += padding;
    for (const auto& character : spec.characters) {
        chain->characters_.emplace_back(character, format);
        for (Link& link : chain->characters_.back().links()) add_slots(link, slots);
    }
    chain->slots_ = std::vector<std::atomic<double>>(slots);
    chain->fetched_.resize(slots);
    chain->meters_.resize(spec.stages.size() + 1);
    std::int64_t skip = 0;
    for (size_t i = 0; i < chain->links_.size(); ++i) {
        skip += chain->links_[i].stage->latency() + (i == chain->lid_ ? padding : 0);
        chain->meters_[i + 1].skip = skip;
    }
    chain->post(spec);
    chain->fetch_slots();
    return chain;
}

void Chain::add_slots(Link& link, size_t& slots) {
    link.first_slot = slots;
    slots += link.slot_count + 1;
}

/// Of the chain's stages, and of its characters with their names.
template <typename F>
void Chain::each_link(F f) const {
    for (const Link& link : links_) f(nullptr, link);
    for (const Character& c : characters_) {
        for (const Link& link : c.links()) f(&c.name(), link);
    }
}

/// The stage of `chain` that `link` stands for; nullptr: it has none of this id and kind.
const StageSpec* Chain::spec_of(const ChainSpec& chain, const std::string* character, const Link& link) {
    const std::vector<StageSpec>* stages = &chain.stages;
    if (character != nullptr) {
        const auto found = std::ranges::find(chain.characters, *character, &CharacterSpec::name);
        if (found == chain.characters.end()) return nullptr;
        stages = &found->stages;
    }
    const auto found = std::ranges::find(*stages, link.id, &StageSpec::id);
    return found != stages->end() && found->kind == link.kind ? &*found : nullptr;
}

void Chain::post_character(const ChainSpec& spec) {
    int index = -1;
    for (size_t i = 0; i < characters_.size(); ++i) {
        if (!spec.character.empty() && characters_[i].name() == spec.character) index = static_cast<int>(i);
    }
    posted_character_.store(index, std::memory_order_relaxed);
}

void Chain::adopt_adaptive_state(const Chain& other) {
    for (Link& mine : links_) {
        for (const Link& theirs : other.links_) {
            if (mine.id != theirs.id || mine.kind != theirs.kind) continue;
            if (const auto memory = theirs.stage->memory(); !memory.empty()) mine.stage->remember(memory);
        }
    }
}

void Chain::post(const ChainSpec& spec) {
    each_link([&](const std::string* character, const Link& link) {
        const StageSpec* now = spec_of(spec, character, link);
        if (now == nullptr) return;
        std::atomic<double>* slot = &slots_[link.first_slot];
        for (const double v : now->values) (slot++)->store(v, std::memory_order_relaxed);
        slot->store(now->bypass ? 1.0 : 0.0, std::memory_order_relaxed);
    });
    post_character(spec);
    posted_.fetch_add(1, std::memory_order_release);
}

/// Values and bypass of a stage, where they differ.
void Chain::post_changes(const Link& link, const StageSpec& before, const StageSpec& after) {
    const auto& table = after.stage_kind().parameters;
    for (size_t p = 0; p < table.size(); ++p) {
        if (before.values[p] != after.values[p] && !table[p].structural)
            slots_[link.first_slot + p].store(after.values[p], std::memory_order_relaxed);
    }
    if (before.bypass != after.bypass)
        slots_[link.first_slot + link.slot_count].store(after.bypass ? 1.0 : 0.0, std::memory_order_relaxed);
}

void Chain::post_changes(const ChainSpec& before, const ChainSpec& after) {
    each_link([&](const std::string* character, const Link& link) {
        const StageSpec* old = spec_of(before, character, link);
        const StageSpec* now = spec_of(after, character, link);
        if (old != nullptr && now != nullptr) post_changes(link, *old, *now);
    });
    if (before.character != after.character) post_character(after);
    posted_.fetch_add(1, std::memory_order_release);
}

void Chain::post_changes(const StageSpec& before, const StageSpec& after) {
    for (const Link& link : links_) {
        if (link.id == after.id && link.kind == after.kind) post_changes(link, before, after);
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
    character_ = posted_character_.load(std::memory_order_relaxed);
    const auto fetch = [&](Link& link) {
        bool changed = false;
        for (size_t k = 0; k <= link.slot_count; ++k) {
            const size_t slot = link.first_slot + k;
            const double v = slots_[slot].load(std::memory_order_relaxed);
            changed = changed || v != fetched_[slot];
            fetched_[slot] = v;
        }
        if (!changed) return;
        link.stage->set_values({&fetched_[link.first_slot], link.slot_count});
        link.active.set(fetched_[link.first_slot + link.slot_count] >= 0.5 ? 0.0 : 1.0);
    };
    for (Link& link : links_) fetch(link);
    for (Character& c : characters_) {
        for (Link& link : c.links()) fetch(link);
    }
}

ChainLatency Chain::latencies() const {
    const int on = posted_character_.load(std::memory_order_relaxed);
    const int padding = padding_.longest();
    return {latency_ - padding, padding, on < 0 ? 0 : characters_[static_cast<size_t>(on)].latency()};
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
                link.stage->begin_sub_block();
                link.active.begin_sub_block();
            }
            for (size_t i = 0; i < characters_.size(); ++i)
                characters_[i].begin_sub_block(static_cast<int>(i) == character_);
        }
        const int n = std::min(block.frames - done, kSubBlock - in_grain_);
        process_grain(block.slice(done, n), listener, keys, {done, block.frames});
        in_grain_ = (in_grain_ + n) % kSubBlock;
        done += n;
    }
}

int Chain::sidechain_delay(std::span<const Key> keys) const noexcept {
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
    if (!healthy(block)) count_faults(repair(block));
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
        if (i == lid_) {
            run_characters(block);
            before = std::chrono::steady_clock::now();
        }
        Link& link = links_[i];
        link.stage->set_voice(voice_);
        if (!link.key.empty()) give_key(link, keys, place, block.frames);
        if (static_cast<int>(i) == probed) listener.probe->before.write(block);
        count_faults(link.run(block));
        if (static_cast<int>(i) == probed) listener.probe->after.write(block);
        if (static_cast<int>(i) + 1 == listener.tap) copy_out();
        const float heard = link.resting ? -1.0f : link.stage->voice_probability();
        if (heard >= 0.0f) voice_ = heard;
        meter(i + 1, block);
        const auto now = std::chrono::steady_clock::now();
        meters_[i + 1].busy += std::chrono::duration<float>(now - before).count();
        before = now;
    }
    if (lid_ == links_.size()) run_characters(block);
}

void Chain::run_characters(const AudioBlock& block) noexcept {
    if (padding_.longest() == 0 && std::ranges::none_of(characters_, &Character::runs)) return;
    padding_.write(block);
    padding_.read(padding_.longest(), block);
    float rows[kMaxChannels][kSubBlock];
    const AudioBlock input{{rows[0], rows[1]}, block.channels, block.frames};
    for (Character& c : characters_) {
        if (!c.runs()) continue;
        padding_.read(std::max(0, padding_.longest() - c.latency()), input);
        for (Link& link : c.links()) link.stage->set_voice(voice_);
        count_faults(c.run(input, block));
    }
}

void Chain::count_faults(std::uint64_t faults) noexcept {
    if (faults > 0) faults_.fetch_add(faults, std::memory_order_relaxed);
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
        frame.reduction_db =
            link.stage->consume_reduction() * static_cast<float>(link.active.sub_block_value());
    }
    frame.voice = voice_;
    frame.busy = m.busy * static_cast<float>(1.0 / kTapFrameSeconds);
    m.busy = 0.0f;
    (void)taps_to_->try_enqueue(frame);  // a full queue means that no meter is read; the sound goes on
    m.filled = 0;
    m.peak = 0.0f;
    m.power[0] = m.power[1] = 0.0;
}

}  // namespace reed
