#include "chain/chain_runner.h"

#include <algorithm>
#include <cmath>

namespace reed {
namespace {

constexpr double kWarmSeconds = 6.0;
constexpr double kRunUpSeconds = 2.0;
constexpr double kHistorySeconds = 11.5;  // read at most; half a second less than what is kept
constexpr double kProbeSeconds = 2.0;
constexpr int kPiece = 1024;
constexpr int kMostDropped = 3;  // so that a change that never rests is heard all the same

// A fade this long is heard as two sounds at once: where one of them comes later, the other one waits for it.
constexpr double kAlignedFade = 0.1;
constexpr double kBackInTime = 0.02;  // s, what the delay takes for its way

constexpr double kLikenessSeconds = 0.1;
constexpr double kLouderAtMost = 1.415;  // what two unrelated sounds need in the middle of a fade

constexpr double kLevelSeconds = 0.004;  // time constant of a fader that is moved

/// Part of a fade that a frame is.
double fade_step(double seconds, double sample_rate) {
    return 1.0 / (std::clamp(seconds, kShortestFade, kLongestFade) * sample_rate);
}

}  // namespace

ChainRunner::ChainRunner(std::shared_ptr<ChainBuilder> builder) : builder_(std::move(builder)) {
    builder_->add(*this);
}

ChainRunner::~ChainRunner() {
    {
        const std::lock_guard lock(mutex_);
        opening_ = true;  // nothing is built to its end any more
        ++wanted_version_;
    }
    builder_->remove(*this);
    delete arriving_.exchange(nullptr);
    free_retired();
}

void ChainRunner::open(const StreamFormat& format, const ChainSpec& spec, std::unique_ptr<Chain> chain,
                       std::shared_ptr<const HistoryRing> input, int longest) {
    Lock lock(mutex_);
    chain->set_serial(next_serial_++);
    opening_ = true;
    ++wanted_version_;
    done_.wait(lock, [this] { return !building_; });
    opening_ = false;
    done_version_ = wanted_version_;
    delete arriving_.exchange(nullptr);
    free_retired();
    next_.reset();
    format_ = format;
    input_ = std::move(input);
    auto probe =
        std::make_shared<Probe>(format.channels, static_cast<size_t>(kProbeSeconds * format.sample_rate));
    probe->stage = probe_->stage.load();
    probe_ = std::move(probe);
    scratch_ = AudioBuffer(format.channels, static_cast<size_t>(longest));
    for (AudioBuffer* b : {&levelled_, &levelled_next_})
        *b = AudioBuffer(format.channels, static_cast<size_t>(longest));
    weights_.assign(static_cast<size_t>(longest), 0.0f);
    fade_gains_.assign(static_cast<size_t>(longest), 1.0f);
    chain->set_level(wanted_level_);
    level_.prepare(format.sample_rate, kLevelSeconds, wanted_level_);
    next_level_.prepare(format.sample_rate, kLevelSeconds, wanted_level_);
    own_levels_ = false;
    for (TapFrame old; taps_.try_dequeue(old);) {
    }
    warm_taps_.clear();
    current_ = std::make_unique<Arrival>();
    current_->chain = std::move(chain);
    current_->chain->set_tap_queue(&taps_);
    newest_ = current_->chain.get();
    alive_ = {newest_};
    latency_ = newest_->latency();
    wanted_ = built_spec_ = spec;
    known_ = {{newest_->serial(), spec.stages.size(), 0}};
    sounding_ = newest_->serial();
}

void ChainRunner::set_level(double factor) {
    if (!std::isfinite(factor)) return;
    const std::lock_guard lock(mutex_);
    wanted_level_ = factor;
    for (Chain* chain : alive_) chain->set_level(factor);
}

Result<void> ChainRunner::follow(const ChainSpec& spec, Fade fade, std::optional<double> level) {
    if (const auto problems = chain_problems(spec); !problems.empty()) return problems.front();
    if (level && !fade.whole) set_level(*level);
    {
        const std::lock_guard lock(mutex_);
        if (level && std::isfinite(*level)) wanted_level_ = *level;
        if (!fade.whole && same_structure(wanted_, spec) && !resumes_stage(wanted_, spec)) {
            // Only the changed values: a chain that will be replaced keeps its other values.
            for (Chain* chain : alive_) chain->post_changes(wanted_, spec);
            wanted_ = spec;
            return {};
        }
        // What is not done yet is done along with this, no quicker than it was to be.
        const bool waits = wanted_version_ != done_version_;
        wanted_fade_ = waits && wanted_fade_.whole && !fade.whole ? wanted_fade_ : fade;
        wanted_ = spec;
        ++wanted_version_;
    }
    builder_->call();
    return {};
}

bool ChainRunner::set_stage(const StageSpec& stage) {
    const std::lock_guard lock(mutex_);
    const auto now = std::ranges::find(wanted_.stages, stage.id, &StageSpec::id);
    if (now == wanted_.stages.end() || !same_structure(*now, stage) || resumes_stage(*now, stage) ||
        !stage_problems(stage, stage.id).empty())
        return false;
    for (Chain* chain : alive_) chain->post_changes(*now, stage);
    *now = stage;
    return true;
}

bool ChainRunner::settled() const {
    const std::lock_guard lock(mutex_);
    return wanted_version_ == done_version_;
}

std::vector<TapFrame> ChainRunner::take_warm_taps(std::uint32_t serial) {
    const std::lock_guard lock(mutex_);
    std::vector<TapFrame> out;
    if (!warm_taps_.empty() && warm_taps_.front().chain == serial) out.swap(warm_taps_);
    return out;
}

const ChainRunner::Known* ChainRunner::known(std::uint32_t serial) const {
    const auto found = std::ranges::find(known_, serial, &Known::serial);
    return found == known_.end() ? nullptr : &*found;
}

size_t ChainRunner::stage_count(std::uint32_t serial) const {
    const std::lock_guard lock(mutex_);
    const Known* found = known(serial);
    return found != nullptr ? found->stages : 0;
}

std::int64_t ChainRunner::origin(std::uint32_t serial) const {
    const std::lock_guard lock(mutex_);
    const Known* found = known(serial);
    return found != nullptr ? found->origin : 0;
}

std::uint64_t ChainRunner::faults() const {
    const std::lock_guard lock(mutex_);
    return newest_ != nullptr ? newest_->faults() : 0;
}

std::vector<float> ChainRunner::render_before_stage(const ChainSpec& spec, size_t stage,
                                                    double seconds) const {
    RingReader input;
    StreamFormat format;
    {
        const std::lock_guard lock(mutex_);
        input.follow(input_);
        format = format_;
    }
    ChainSpec before = spec;
    before.stages.resize(std::min(stage, spec.stages.size()));
    before.characters.clear();
    auto built = Chain::build(without_transients(before), format);
    if (!built.ok()) return {};
    Chain& chain = *built.value();
    const double rate = format.sample_rate;
    const auto wanted = static_cast<std::int64_t>(seconds * rate);
    const auto run_up = static_cast<std::int64_t>(kRunUpSeconds * rate) + chain.latency();
    const auto kept = static_cast<std::int64_t>(kHistorySeconds * rate);
    const std::int64_t end = input.waiting();
    input.skip_to_newest(std::min(wanted + run_up, kept));
    std::vector<float> out;
    while (input.at() < end) {
        AudioBlock piece;
        const auto most = static_cast<int>(std::min<std::int64_t>(kPiece, end - input.at()));
        if (input.next(most, piece) != RingReader::Got::sound) break;
        chain.process(piece);
        for (int i = 0; i < piece.frames; ++i)
            out.push_back(piece.channels > 1 ? 0.5f * (piece[0][i] + piece[1][i]) : piece[0][i]);
    }
    const auto keep = static_cast<size_t>(wanted);
    if (out.size() > keep) out.erase(out.begin(), out.end() - static_cast<std::ptrdiff_t>(keep));
    return out;
}

std::vector<std::pair<size_t, std::string>> ChainRunner::troubles() const {
    const std::lock_guard lock(mutex_);
    std::vector<std::pair<size_t, std::string>> out;
    for (size_t i = 0; newest_ != nullptr && i < built_spec_.stages.size(); ++i) {
        if (const char* why = newest_->trouble(i); why != nullptr) out.emplace_back(i, why);
    }
    return out;
}

std::vector<float> ChainRunner::readouts(const StageSpec& stage) const {
    const std::lock_guard lock(mutex_);
    const int there = newest_ != nullptr ? built_spec_.index_of(stage.id) : -1;
    const auto at = static_cast<size_t>(std::max(0, there));
    if (there < 0 || built_spec_.stages[at].kind != stage.kind) return {};
    return newest_->readouts(at);
}

ChainLatency ChainRunner::latencies() const {
    const std::lock_guard lock(mutex_);
    return newest_ != nullptr ? newest_->latencies() : ChainLatency{};
}

std::vector<int> ChainRunner::stage_latencies() const {
    const std::lock_guard lock(mutex_);
    std::vector<int> out;
    for (size_t i = 0; newest_ != nullptr && i < built_spec_.stages.size(); ++i)
        out.push_back(newest_->stage_latency(i));
    return out;
}

// ---- the builder's thread ----

bool ChainRunner::tend() {
    Lock lock(mutex_);
    free_retired();
    if (opening_ || newest_ == nullptr || wanted_version_ == done_version_) return false;
    const std::uint64_t version = wanted_version_;
    if (!wanted_fade_.whole && same_structure(built_spec_, wanted_) && !newest_->wakes(wanted_)) {
        newest_->post(wanted_);  // there and back again before anything was built
        done_version_ = version;
        return false;
    }
    building_ = true;
    if (build(lock)) done_version_ = version;
    building_ = false;
    done_.notify_all();
    return !opening_ && wanted_version_ != done_version_;
}

/// Builds the wanted chain; false if the build was cancelled. The mutex is unlocked meanwhile.
bool ChainRunner::build(Lock& lock) {
    const std::uint64_t version = wanted_version_;
    const ChainSpec spec = wanted_;
    auto arrival = std::make_unique<Arrival>();
    arrival->fade = wanted_fade_;
    const std::uint32_t serial = next_serial_++;
    const StreamFormat format = format_;
    Chain& before = *newest_;  // freed by this thread, or by open(), which waits
    int before_latency = 0;    // of what may sound when it comes
    for (const Chain* chain : alive_) before_latency = std::max(before_latency, chain->latency());
    lock.unlock();
    auto built = Chain::build(spec, format, serial);
    std::vector<TapFrame> frames;
    bool whole = built.ok();  // follow() has checked it; nothing left that could be wrong
    if (whole) {
        arrival->chain = std::move(built.value());
        arrival->chain->adopt_adaptive_state(before);
        arrival->aligned.prepare(format, std::max(arrival->chain->latency(), before_latency));
        whole = warm_up(*arrival, frames, version);
    }
    lock.lock();
    if (!whole) {
        ++dropped_;
        return false;
    }
    dropped_ = 0;
    newest_ = arrival->chain.get();
    // Values that have moved meanwhile; what else has is built next.
    if (wanted_version_ == version) newest_->post(wanted_);
    newest_->set_level(wanted_level_);
    built_spec_ = spec;
    alive_.push_back(newest_);
    known_.push_back({serial, spec.stages.size(), arrival->origin});
    if (known_.size() > 16) known_.erase(known_.begin());
    warm_taps_ = std::move(frames);
    // One that was never taken is replaced and freed here.
    const Arrival* unheard = arriving_.exchange(arrival.release(), std::memory_order_acq_rel);
    forget(unheard);
    return true;
}

/// False when it was dropped, because something else is wanted by now.
bool ChainRunner::warm_up(Arrival& arrival, std::vector<TapFrame>& frames, std::uint64_t version) {
    Chain& chain = *arrival.chain;
    TapQueue queue(1024);
    chain.set_tap_queue(&queue);
    RingReader& input = arrival.input;
    input.follow(input_);
    input.skip_to_newest(static_cast<std::int64_t>(kWarmSeconds * format_.sample_rate));
    arrival.origin = input.at();
    // Sound comes in meanwhile; what little is left at the end the audio thread makes up for.
    AudioBlock piece;
    do {
        if (wanted_version_ != version && (opening_ || dropped_ < kMostDropped)) return false;
        if (input.next(kPiece, piece) != RingReader::Got::sound) break;
        chain.process(piece);
        arrival.aligned.process(piece);
        for (TapFrame f; queue.try_dequeue(f);) frames.push_back(f);
    } while (piece.frames == kPiece);
    chain.set_tap_queue(&taps_);
    return true;
}

void ChainRunner::forget(const Arrival* arrival) {
    if (arrival == nullptr) return;
    std::erase(alive_, arrival->chain.get());
    delete arrival;
}

void ChainRunner::free_retired() {
    for (Arrival* old = nullptr; retired_.try_dequeue(old);) forget(old);
}

// ---- the audio thread ----

ChainRunner::Heard ChainRunner::run(const AudioBlock& block, const Listener& listener, const Listener& fresh,
                                    const Keys& keys) noexcept {
    Heard heard;
    if (!current_) return heard;
    take_arrival();
    Listener probed = listener;
    probed.probe = probe_.get();
    heard.latency = current_->chain->latency();
    if (next_ && caught_up_) {
        // Something else is wanted by now.
        if (arriving_.load(std::memory_order_relaxed) != nullptr)
            fade_step_ = std::max(fade_step_, fade_step(kShortestFade, format_.sample_rate));
        const AudioBlock fading_in = scratch_.block(0, block.frames);
        for (int c = 0; c < block.channels; ++c) std::copy_n(block[c], block.frames, fading_in[c]);
        current_->chain->process(block, probed, keys);
        next_->chain->process(fading_in, fresh, keys);
        align(block, fading_in);
        if (own_levels_)
            cross_fade_levels(block, fading_in);
        else
            cross_fade(block, fading_in);
        heard.own_levels = own_levels_;
        heard.fresh_latency = next_->chain->latency();
        heard.weights = weights_.data();
        take_over();
        return heard;
    }
    current_->chain->process(block, probed, keys);
    if (next_ && late_ > 0) {
        next_->aligned.process(block);  // as it is: noted
        noted_ += block.frames;
    }
    if (next_) caught_up_ = catch_up(block.frames);
    return heard;
}

void ChainRunner::take_arrival() noexcept {
    if (next_) return;
    next_.reset(arriving_.exchange(nullptr, std::memory_order_acq_rel));
    if (!next_) return;
    caught_up_ = false;
    fade_at_ = 0.0;
    fade_step_ = fade_step(next_->fade.seconds, format_.sample_rate);
    like_ = {};
    fade_peak_ = 0.0f;
    fade_room_ = kLouderAtMost;
    like_step_ = 1.0 / (kLikenessSeconds * format_.sample_rate);
    const int late = next_->chain->latency() - current_->chain->latency();
    late_ = next_->fade.seconds >= kAlignedFade ? late : 0;
    // By how the control thread sets them they differ only where the new one brought its own.
    own_levels_ = next_->chain->level() != current_->chain->level();
    next_level_.snap(next_->chain->level());
    noted_ = 0;
    if (late_ < 0) next_->aligned.snap(-late_);
}

/// Runs the new chain, unheard, over what came in since its warm-up: at most two blocks a block, so that no
/// call pays for many. True when it has heard all that the old one has.
bool ChainRunner::catch_up(int block_frames) noexcept {
    RingReader& input = next_->input;
    for (int left = 2 * block_frames; left > 0 && input.waiting() > 0;) {
        const auto longest = static_cast<std::int64_t>(scratch_.frames());
        const int n = static_cast<int>(std::min<std::int64_t>({left, longest, input.waiting()}));
        const AudioBlock missed = scratch_.block(0, n);
        if (input.read(missed) != RingReader::Got::sound) {  // held up for longer than the history lasts
            input.skip_to_newest();
            break;
        }
        next_->chain->process(missed);
        if (late_ < 0) next_->aligned.process(missed);
        left -= n;
    }
    return input.waiting() == 0;
}

/// Two sounds of which one comes some ms later would cancel each other in parts. While they are heard
/// together the earlier one waits: the old one from the beginning on, the new one until shortly before the
/// end.
void ChainRunner::align(const AudioBlock& old_sound, const AudioBlock& new_sound) noexcept {
    CrossfadeDelay& delay = next_->aligned;
    if (late_ > 0) {
        if (noted_ >= late_) delay.set(late_);
        delay.process(old_sound);
        noted_ += old_sound.frames;
    } else if (late_ < 0) {
        const double left = (1.0 - fade_at_) / fade_step_;
        if (left <= kBackInTime * format_.sample_rate + new_sound.frames) delay.set(0);
        delay.process(new_sound);
    }
}

/// The new sound stands where it belongs in time.
bool ChainRunner::aligned() const noexcept {
    return late_ >= 0 || (next_->aligned.delay() == 0 && !next_->aligned.moves());
}

/// Of the same loudness all the way: two sounds with correlation r, weighted by 1 - w and w, have together
/// the power (1 - w)^2 + w^2 + 2 r w (1 - w), by which they are divided. What is the same in both fades by
/// its amplitude (r = 1), what is not by its power (r = 0: other filters, another delay). The sum never
/// exceeds the highest peak that either has given meanwhile, so that a lid holds through the fade too: what
/// would is turned down at once, and let go over the same tenth of a second.
void ChainRunner::cross_fade(const AudioBlock& old_sound, const AudioBlock& new_sound) noexcept {
    for (int i = 0; i < old_sound.frames; ++i) {
        fade_at_ = std::min(fade_at_ + fade_step_, 1.0);
        const double weight = fade_at_ * fade_at_ * (3.0 - 2.0 * fade_at_);
        weights_[static_cast<size_t>(i)] = static_cast<float>(weight);
        Likeness now;
        const double left = 1.0 - weight;
        double sum = 0.0;  // the highest of the channels
        for (int c = 0; c < old_sound.channels; ++c) {
            const double out = old_sound[c][i], in = new_sound[c][i];
            now.out += out * out;
            now.in += in * in;
            now.both += out * in;
            fade_peak_ = std::max({fade_peak_, std::abs(old_sound[c][i]), std::abs(new_sound[c][i])});
            sum = std::max(sum, std::abs(left * out + weight * in));
        }
        like_.out += like_step_ * (now.out - like_.out);
        like_.in += like_step_ * (now.in - like_.in);
        like_.both += like_step_ * (now.both - like_.both);
        const double power = like_.out * like_.in;
        const double same = power > 0.0 ? std::clamp(like_.both / std::sqrt(power), 0.0, 1.0) : 1.0;
        fade_room_ += like_step_ * (kLouderAtMost - fade_room_);
        if (sum * fade_room_ > fade_peak_) fade_room_ = fade_peak_ / sum;
        const double gain =
            std::min(fade_room_, 1.0 / std::sqrt(left * left + weight * weight + 2.0 * same * weight * left));
        fade_gains_[static_cast<size_t>(i)] = static_cast<float>(gain);
        for (int c = 0; c < old_sound.channels; ++c) {
            old_sound[c][i] = static_cast<float>(gain * (left * old_sound[c][i] + weight * new_sound[c][i]));
        }
    }
}

/// The same for two levels: the cross-fade applies to the output of the strip, and `old_sound` becomes
/// the same mix without the levels.
void ChainRunner::cross_fade_levels(const AudioBlock& old_sound, const AudioBlock& new_sound) noexcept {
    const AudioBlock out = levelled_.block(0, old_sound.frames),
                     in = levelled_next_.block(0, new_sound.frames);
    for (int c = 0; c < old_sound.channels; ++c) {
        std::copy_n(old_sound[c], old_sound.frames, out[c]);
        std::copy_n(new_sound[c], new_sound.frames, in[c]);
    }
    level_.set(current_->chain->level());
    level_.process(out);
    next_level_.set(next_->chain->level());
    next_level_.process(in);
    cross_fade(out, in);
    for (int i = 0; i < old_sound.frames; ++i) {
        const float weight = weights_[static_cast<size_t>(i)], gain = fade_gains_[static_cast<size_t>(i)];
        for (int c = 0; c < old_sound.channels; ++c)
            old_sound[c][i] = gain * ((1.0f - weight) * old_sound[c][i] + weight * new_sound[c][i]);
    }
}

void ChainRunner::apply_level(const AudioBlock& block, const Heard& heard) noexcept {
    if (!current_) return;
    if (heard.own_levels) {
        const AudioBlock levelled = levelled_.block(0, block.frames);
        for (int c = 0; c < block.channels; ++c) std::copy_n(levelled[c], block.frames, block[c]);
        return;
    }
    level_.set(current_->chain->level());
    level_.process(block);
}

/// The new chain is the only one once it has faded in. The old one is freed by the builder's thread; with no
/// room in the queue, later.
void ChainRunner::take_over() noexcept {
    if (fade_at_ >= 1.0 && aligned() && retired_.try_enqueue(current_.get())) {
        (void)current_.release();
        current_ = std::move(next_);
        if (own_levels_) level_ = next_level_;
        own_levels_ = false;
        latency_.store(current_->chain->latency(), std::memory_order_relaxed);
        sounding_.store(current_->chain->serial(), std::memory_order_release);
    }
}

}  // namespace reed
