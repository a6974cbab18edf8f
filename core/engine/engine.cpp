#include "engine/engine.h"

#include <chrono>
#include <cmath>

#include "base/flush_to_zero.h"

namespace reed {
namespace {

constexpr double kHistorySeconds = 12.0;
constexpr double kWarmSeconds = 6.0;
constexpr double kProbeSeconds = 2.0;
constexpr int kPiece = 8192;

double fade_seconds(Fade fade) {
    return fade == Fade::scene ? 0.300 : 0.030;
}

}  // namespace

Engine::Engine()
    : input_(std::make_shared<HistoryRing>(1, 2)),
      feed_(std::make_shared<HistoryRing>(1, 2)),
      monitored_(std::make_shared<HistoryRing>(1, 2)) {
    builder_ = std::thread([this] { build_thread(); });
}

Engine::~Engine() {
    {
        const std::lock_guard lock(mutex_);
        quit_ = true;
    }
    wake_.notify_all();
    builder_.join();
    delete arriving_.exchange(nullptr);
    free_retired();
}

Result<void> Engine::open(const StreamFormat& format, const ChainSpec& spec) {
    std::unique_lock lock(mutex_);
    // The building thread must not be at work on the old format.
    wake_.wait(lock, [this] { return wanted_version_ == done_version_; });
    auto built = Chain::build(spec, format, next_serial_);
    if (!built.ok()) return built.error();
    ++next_serial_;
    delete arriving_.exchange(nullptr);
    free_retired();
    next_.reset();
    format_ = format;
    const auto keep = static_cast<size_t>(kHistorySeconds * format.sample_rate);
    input_ = std::make_shared<HistoryRing>(format.channels, keep);
    feed_ = std::make_shared<HistoryRing>(format.channels, keep);
    monitored_ = std::make_shared<HistoryRing>(format.channels, static_cast<size_t>(format.sample_rate));
    auto probe =
        std::make_unique<Probe>(format.channels, static_cast<size_t>(kProbeSeconds * format.sample_rate));
    probe->stage = probe_->stage.load();
    probe_ = std::move(probe);
    monitor_.prepare(format, kPiece);
    scratch_ = AudioBuffer(format.channels, kPiece);
    weights_.assign(kPiece, 0.0f);
    feed_gain_.prepare(format.sample_rate, 0.004, muted() ? 0.0 : 1.0);
    in_grain_ = 0;
    for (auto& c : clips_) c.reset();
    for (TapFrame old; taps_.try_dequeue(old);) {
    }
    warm_taps_.clear();
    clipped_ = blocks_ = 0;
    load_ = worst_load_ = 0.0;
    current_ = std::make_unique<Arrival>();
    current_->chain = std::move(built.value());
    current_->chain->set_tap_queue(&taps_);
    newest_ = current_->chain.get();
    latency_ = newest_->latency();
    wanted_ = built_spec_ = spec;
    known_ = {{newest_->serial(), spec.stages.size(), 0}};
    sounding_ = newest_->serial();
    return {};
}

Result<void> Engine::follow(const ChainSpec& spec, Fade fade) {
    const auto problems = chain_problems(spec);
    if (!problems.empty()) return problems.front();
    {
        const std::lock_guard lock(mutex_);
        wanted_ = spec;
        wanted_fade_ = fade;
        ++wanted_version_;
    }
    wake_.notify_all();
    return {};
}

bool Engine::settled() const {
    const std::lock_guard lock(mutex_);
    return wanted_version_ == done_version_;
}

std::vector<TapFrame> Engine::take_warm_taps(std::uint32_t serial) {
    const std::lock_guard lock(mutex_);
    std::vector<TapFrame> out;
    if (!warm_taps_.empty() && warm_taps_.front().chain == serial) out.swap(warm_taps_);
    return out;
}

size_t Engine::stage_count(std::uint32_t serial) const {
    const std::lock_guard lock(mutex_);
    for (const Known& known : known_) {
        if (known.serial == serial) return known.stages;
    }
    return 0;
}

std::int64_t Engine::origin(std::uint32_t serial) const {
    const std::lock_guard lock(mutex_);
    for (const Known& known : known_) {
        if (known.serial == serial) return known.origin;
    }
    return 0;
}

EngineFigures Engine::figures() const {
    EngineFigures out;
    out.clipped = clipped_.load(std::memory_order_relaxed);
    out.blocks = blocks_.load(std::memory_order_relaxed);
    out.load = load_.load(std::memory_order_relaxed);
    out.worst_load = worst_load_.load(std::memory_order_relaxed);
    out.latency = latency_.load(std::memory_order_relaxed);
    out.block_frames = block_frames_.load(std::memory_order_relaxed);
    const std::lock_guard lock(mutex_);
    if (newest_ != nullptr) out.faults = newest_->faults();
    return out;
}

std::vector<float> Engine::sound_before(const ChainSpec& spec, size_t stage, double seconds) const {
    std::shared_ptr<HistoryRing> input;
    StreamFormat format;
    {
        const std::lock_guard lock(mutex_);
        input = input_;
        format = format_;
    }
    ChainSpec before = spec;
    before.stages.resize(std::min(stage, spec.stages.size()));
    auto built = Chain::build(without_transients(before), format);
    if (!built.ok()) return {};
    Chain& chain = *built.value();
    const std::int64_t end = input->written();
    const auto wanted = static_cast<std::int64_t>(seconds * format.sample_rate);
    const auto run_up = static_cast<std::int64_t>(2.0 * format.sample_rate) + chain.latency();
    const auto kept = static_cast<std::int64_t>((kHistorySeconds - 0.5) * format.sample_rate);
    std::int64_t at = std::max<std::int64_t>(0, end - std::min(wanted + run_up, kept));
    AudioBuffer piece(format.channels, 1024);
    float* rows[kMaxChannels] = {piece[0].data(), format.channels > 1 ? piece[1].data() : nullptr};
    std::vector<float> out;
    while (at < end) {
        const int n = static_cast<int>(std::min<std::int64_t>(1024, end - at));
        if (!input->read(at, n, rows)) break;
        chain.process(piece.block(0, n));
        for (int i = 0; i < n; ++i) {
            const auto k = static_cast<size_t>(i);
            out.push_back(format.channels > 1 ? 0.5f * (piece[0][k] + piece[1][k]) : piece[0][k]);
        }
        at += n;
    }
    const auto keep = static_cast<size_t>(wanted);
    if (out.size() > keep) out.erase(out.begin(), out.end() - static_cast<std::ptrdiff_t>(keep));
    return out;
}

std::vector<std::pair<size_t, const char*>> Engine::troubles() const {
    const std::lock_guard lock(mutex_);
    std::vector<std::pair<size_t, const char*>> out;
    for (size_t i = 0; newest_ != nullptr && i < built_spec_.stages.size(); ++i) {
        if (const char* why = newest_->trouble(i); why != nullptr) out.emplace_back(i, why);
    }
    return out;
}

std::vector<int> Engine::stage_latencies() const {
    const std::lock_guard lock(mutex_);
    std::vector<int> out;
    for (size_t i = 0; newest_ != nullptr && i < built_spec_.stages.size(); ++i)
        out.push_back(newest_->stage_latency(i));
    return out;
}

// ---- the building thread ----

void Engine::build_thread() {
    std::unique_lock lock(mutex_);
    for (;;) {
        // Woken twice a second as well, to free chains that have faded out.
        wake_.wait_for(lock, std::chrono::milliseconds(500),
                       [this] { return quit_ || wanted_version_ != done_version_; });
        free_retired();
        if (quit_) return;
        if (wanted_version_ == done_version_) continue;
        const std::uint64_t version = wanted_version_;
        const ChainSpec spec = wanted_;
        const Fade fade = wanted_fade_;
        if (newest_ != nullptr && same_structure(built_spec_, spec) && fade == Fade::quick &&
            !wakes_a_stage(built_spec_, spec)) {
            newest_->post(spec);
            built_spec_ = spec;
        } else if (newest_ != nullptr) {
            lock.unlock();
            build_or_post(spec, fade);
            lock.lock();
        }
        done_version_ = version;
        wake_.notify_all();
    }
}

void Engine::build_or_post(const ChainSpec& spec, Fade fade) {
    auto built = Chain::build(spec, format_, next_serial_);
    if (!built.ok()) return;  // follow() has checked it; nothing left that could be wrong
    auto arrival = std::make_unique<Arrival>();
    arrival->chain = std::move(built.value());
    arrival->fade = fade;
    arrival->chain->take_memories(*newest_);  // only this thread frees it
    warm_up(*arrival);
    const std::lock_guard lock(mutex_);
    ++next_serial_;
    built_spec_ = spec;
    newest_ = arrival->chain.get();
    known_.push_back({newest_->serial(), spec.stages.size(), arrival->origin});
    if (known_.size() > 16) known_.erase(known_.begin());
    // One that was never taken is replaced and freed here.
    delete arriving_.exchange(arrival.release(), std::memory_order_acq_rel);
}

void Engine::warm_up(Arrival& arrival) {
    Chain& chain = *arrival.chain;
    TapQueue queue(1024);
    std::vector<TapFrame> frames;
    chain.set_tap_queue(&queue);
    const auto most = static_cast<std::int64_t>(kWarmSeconds * format_.sample_rate);
    std::int64_t at = std::max<std::int64_t>(0, input_->written() - most);
    arrival.origin = at;
    AudioBuffer piece(format_.channels, 1024);
    float* rows[kMaxChannels] = {piece[0].data(), format_.channels > 1 ? piece[1].data() : nullptr};
    // Sound comes in meanwhile; what little is left at the end the audio thread makes up for.
    for (std::int64_t end = input_->written(); at < end; end = input_->written()) {
        const int n = static_cast<int>(std::min<std::int64_t>(1024, end - at));
        if (!input_->read(at, n, rows)) break;
        chain.process(piece.block(0, n));
        for (TapFrame f; queue.try_dequeue(f);) frames.push_back(f);
        at += n;
        if (n < 1024) break;
    }
    arrival.at = at;
    chain.set_tap_queue(&taps_);
    const std::lock_guard lock(mutex_);
    warm_taps_ = std::move(frames);
}

void Engine::free_retired() {
    for (Arrival* old = nullptr; retired_.try_dequeue(old);) delete old;
}

// ---- the audio thread ----

void Engine::process(const AudioBlock& block) noexcept {
    const FlushToZero no_denormals;
    const auto start = std::chrono::steady_clock::now();
    for (int done = 0; done < block.frames; done += kPiece) {
        process_piece(block.slice(done, std::min(kPiece, block.frames - done)));
    }
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
    note_load(took.count(), block.frames);
}

void Engine::process_piece(const AudioBlock& block) noexcept {
    if (!current_) return;
    input_->write(block);
    std::uint64_t clipped = 0;
    for (int c = 0; c < block.channels; ++c) {
        clipped += static_cast<std::uint64_t>(clips_[c].add(block[c], block.frames));
    }
    if (clipped > 0) clipped_.fetch_add(clipped, std::memory_order_relaxed);

    take_arrival();
    Listener listener = monitor_.listener(block);
    Monitor::Heard heard;
    heard.latency = current_->chain->latency();
    listener.probe = probe_.get();
    if (next_ && !caught_up_) {
        current_->chain->process(block, listener);
        caught_up_ = catch_up(block.frames);
    } else if (next_) {
        const AudioBlock fresh = scratch_.block(0, block.frames);
        for (int c = 0; c < block.channels; ++c) std::copy_n(block[c], block.frames, fresh[c]);
        current_->chain->process(block, listener);
        next_->chain->process(fresh, monitor_.fresh_listener(block));
        cross_fade(block, fresh);
        heard.fresh_latency = next_->chain->latency();
        heard.weights = weights_.data();
    } else {
        current_->chain->process(block, listener);
    }

    const bool muted = mute_.load(std::memory_order_relaxed);
    monitor_.run(block, *input_, heard, muted);
    take_over();
    if (const AudioBlock out = monitor_.sound(); out.frames > 0) monitored_->write(out);
    feed_gain_.set(muted ? 0.0 : 1.0);
    for (int i = 0; i < block.frames; ++i) {
        if (in_grain_ == 0) feed_gain_.begin_grain();
        in_grain_ = (in_grain_ + 1) % kGrain;
        const float gain = feed_gain_.next();
        for (int c = 0; c < block.channels; ++c) block[c][i] *= gain;
    }
    feed_->write(block);
}

void Engine::take_arrival() noexcept {
    if (next_) return;
    next_.reset(arriving_.exchange(nullptr, std::memory_order_acq_rel));
    if (!next_) return;
    caught_up_ = false;
    fade_length_ = static_cast<int>(fade_seconds(next_->fade) * format_.sample_rate);
    fade_done_ = 0;
}

/// Runs the new chain, unheard, over what came in since its warm-up: at most two blocks a block, so that no
/// call pays for many. True when it has heard all that the old one has.
bool Engine::catch_up(int block_frames) noexcept {
    const std::int64_t now = input_->written();
    for (int left = 2 * block_frames; left > 0 && next_->at < now;) {
        const int n = static_cast<int>(std::min<std::int64_t>({left, kPiece, now - next_->at}));
        const AudioBlock missed = scratch_.block(0, n);
        float* rows[kMaxChannels] = {missed.rows[0], missed.rows[1]};
        if (!input_->read(next_->at, n, rows)) {  // held up for longer than the history lasts
            next_->at = now;
            break;
        }
        next_->chain->process(missed);
        next_->at += n;
        left -= n;
    }
    return next_->at >= now;
}

void Engine::cross_fade(const AudioBlock& old_sound, const AudioBlock& new_sound) noexcept {
    for (int i = 0; i < old_sound.frames; ++i) {
        if (fade_done_ < fade_length_) ++fade_done_;
        const float t = static_cast<float>(fade_done_) / static_cast<float>(fade_length_);
        const float weight = t * t * (3.0f - 2.0f * t);
        weights_[static_cast<size_t>(i)] = weight;
        for (int c = 0; c < old_sound.channels; ++c) {
            old_sound[c][i] += weight * (new_sound[c][i] - old_sound[c][i]);
        }
    }
}

/// The new chain is the only one once it has faded in. The old one is freed by the building thread; with no
/// room in the queue, later.
void Engine::take_over() noexcept {
    if (next_ && caught_up_ && fade_done_ == fade_length_ && retired_.try_enqueue(current_.get())) {
        (void)current_.release();
        current_ = std::move(next_);
        latency_.store(current_->chain->latency(), std::memory_order_relaxed);
        sounding_.store(current_->chain->serial(), std::memory_order_release);
    }
}

void Engine::note_load(double seconds, int frames) noexcept {
    if (frames <= 0) return;
    const double period = frames / format_.sample_rate;
    const double share = seconds / period;
    const double before = load_.load(std::memory_order_relaxed);
    load_.store(before + std::min(1.0, period) * (share - before), std::memory_order_relaxed);
    if (share > worst_load_.load(std::memory_order_relaxed))
        worst_load_.store(share, std::memory_order_relaxed);
    block_frames_.store(frames, std::memory_order_relaxed);
    blocks_.fetch_add(1, std::memory_order_relaxed);
}

}  // namespace reed
