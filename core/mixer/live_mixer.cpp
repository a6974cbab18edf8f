#include "mixer/live_mixer.h"

#include <chrono>
#include <cmath>
#include <thread>

#include "chain/link.h"

namespace reed {
namespace {

constexpr std::int64_t kSilentFor = 100'000'000;  // ns, after which another strip leads
constexpr int kOwnTime = 1024;                    // frames kept in store of a source in its own time
constexpr int kMost = 8192;                       // frames of a block
constexpr double kLongestPlain = 0.6;             // seconds; more than a strip and its wait take

std::int64_t now_ns() {
    using Clock = std::chrono::steady_clock;
    return std::chrono::duration_cast<std::chrono::nanoseconds>(Clock::now().time_since_epoch()).count();
}

}  // namespace

// ---- the strip ----

void LiveStrip::expect(const StreamFormat& source, bool steady) {
    const double rate = engine().format().sample_rate;
    for (int c = 0; c < kMaxChannels; ++c) {
        resamplers_[c].reset();
        if (source.sample_rate != rate && c < source.channels)
            resamplers_[c].emplace(static_cast<int>(source.sample_rate), static_cast<int>(rate));
    }
    const double longer = std::max(1.0, rate / source.sample_rate);
    fitted_ = AudioBuffer(kMaxChannels, static_cast<size_t>(longer * kMost) + 8);
    steady_ = steady;
    hand_over_.prepare(engine().format().channels, steady ? StreamFifo::kStore : kOwnTime);
    hand_over_.set_converted(!steady);
    const StreamFormat format = engine().format();
    if (!(format == said_format_)) {
        said_ = std::make_shared<HistoryRing>(format.channels,
                                              static_cast<size_t>(kRawHistorySeconds * format.sample_rate));
        said_format_ = format;
    }
    takes_.prepare(format.sample_rate, format.channels);
    const bool held = takes_.holds();  // also while the input is opened again
    engine().suppress_output(held);
    plain_ = AudioBuffer(kMaxChannels, kMost);
    constexpr double kDelay = 1e-3 * LiveMixer::kLongestOutputDelay;
    plain_delay_.prepare(format, static_cast<int>((kLongestPlain + kDelay) * format.sample_rate), 0);
    delayed_ = AudioBuffer(kMaxChannels, kMost);
    delay_.prepare(format, static_cast<int>(kDelay * format.sample_rate), desk_.delay_frames());
    was_muted_ = false;
    for (MuteGain* gain : {&plain_open_, &plain_shut_})
        gain->prepare(format.sample_rate, kMuteFade, engine().muted() || engine().strip_muted());
    heard_ = false;
    missed_ = 0;
    led_ = converted_ = false;
}

/// The block in the strip's own channels and rate.
AudioBlock LiveStrip::fitted(const AudioBlock& block) noexcept {
    const int channels = engine().format().channels;
    AudioBlock in = block;
    if (resamplers_[0]) {
        AudioBlock out = fitted_.block(0, 0);
        out.channels = block.channels;
        for (int c = 0; c < block.channels; ++c) {
            int n = 0;
            resamplers_[c]->process(block[c], block.frames, [&](float y) { out[c][n++] = y; });
            out.frames = n;
        }
        in = out;
    }
    if (in.channels == channels) return in;
    AudioBlock out = fitted_.block(0, in.frames);
    out.channels = channels;
    for (int i = 0; i < in.frames; ++i) {
        const float left = in[0][i], right = in[in.channels - 1][i];
        for (int c = 0; c < channels; ++c) out[c][i] = channels == 1 ? 0.5f * (left + right) : left;
    }
    return out;
}

void LiveStrip::process(const AudioBlock& block) noexcept {
    const std::int64_t now = now_ns();
    came_.store(now, std::memory_order_relaxed);
    const AudioBlock mine = fitted(block);
    said_->write(mine);
    takes_.run(mine);
    engine().suppress_output(takes_.holds());
    led_ = desk_.leads(*this, now) && !desk_.running_.test_and_set(std::memory_order_acquire);
    if (!led_) {
        hand_over_.write(mine);
        heard_.store(true, std::memory_order_relaxed);
        return;
    }
    desk_.run(*this, mine);
    desk_.running_.clear(std::memory_order_release);
}

void LiveStrip::take(const AudioBlock&, bool converted) noexcept {
    converted_ = converted;
    if (steady_) hand_over_.set_converted(converted);
}

void LiveStrip::push() noexcept {
    FeedSink* sink = desk_.sink_.load(std::memory_order_acquire);
    if (led_ && steady_ && sink != nullptr) sink->push();
}

void LiveStrip::fetch(const AudioBlock& block) noexcept {
    if (hand_over_.read(block)) return;
    if (heard_.load(std::memory_order_relaxed))
        missed_.fetch_add(static_cast<std::uint64_t>(block.frames), std::memory_order_relaxed);
}

void LiveStrip::came(const AudioBlock& block) noexcept {
    const bool muted = engine().muted() || engine().strip_muted();
    if (muted && !was_muted_) {
        const int before = desk_.latency();
        plain_delay_.drop(0);
        delay_.drop(before);
        if (role() == StripRole::voice) desk_.delay_.drop(before);
    }
    was_muted_ = muted;
    FeedSink* sink = plain_output_.load(std::memory_order_acquire);
    if (sink == nullptr) return plain_delay_.pause();
    AudioBlock plain = plain_.block(0, block.frames);
    plain.channels = block.channels;
    for (int c = 0; c < block.channels; ++c) std::copy_n(block[c], block.frames, plain[c]);
    // Before the delay, so that what is said now is not heard later, and behind it.
    plain_open_.set(muted);
    plain_open_.process(plain);
    plain_delay_.process(plain, role() == StripRole::voice ? desk_.desk_.voices_latency() : latency(),
                         desk_.delay_frames());
    plain_shut_.set(muted);
    plain_shut_.process(plain);
    (void)silence_unhealthy(plain);
    sink->take(plain, desk_.leader_converted_.load(std::memory_order_relaxed));
}

void LiveStrip::gave(const AudioBlock& block) noexcept {
    FeedSink* sink = output_.load(std::memory_order_acquire);
    if (sink == nullptr) return delay_.pause();
    AudioBlock later = delayed_.block(0, block.frames);
    later.channels = block.channels;
    for (int c = 0; c < block.channels; ++c) std::copy_n(block[c], block.frames, later[c]);
    delay_.process(later, 0, desk_.delay_frames());
    sink->take(later, desk_.leader_converted_.load(std::memory_order_relaxed));
}

// ---- the mixer ----

void LiveMixer::settle() const {
    while (running_.test(std::memory_order_acquire)) std::this_thread::yield();
}

Result<void> LiveMixer::open(const StreamFormat& feed) {
    sum_ = AudioBuffer(feed.channels, 5 * kMost);  // 192 kHz out of 44.1
    delay_.prepare(feed, static_cast<int>(1e-3 * kLongestOutputDelay * feed.sample_rate),
                   static_cast<int>(std::lround(1e-3 * output_delay() * feed.sample_rate)));
    load_.restart();
    leader_ = nullptr;
    return desk_.open(feed);
}

void LiveMixer::set_output_delay(double ms) {
    if (std::isfinite(ms))
        output_delay_.store(std::clamp(ms, 0.0, kLongestOutputDelay), std::memory_order_relaxed);
}

int LiveMixer::delay_frames() const noexcept {
    return static_cast<int>(std::lround(1e-3 * output_delay() * desk_.format().sample_rate));
}

std::shared_ptr<LiveStrip> LiveMixer::make(const std::string& id, StripRole role) {
    return std::make_shared<LiveStrip>(*this, id, role, builder_);
}

void LiveMixer::arrange(const std::vector<std::shared_ptr<LiveStrip>>& strips,
                        const std::vector<size_t>& order) {
    // A removed strip is no longer the leader. The audio thread may still read its time once, so it is freed
    // later.
    if (std::ranges::none_of(strips, [&](const auto& s) { return s.get() == leader_.load(); }))
        leader_ = nullptr;
    for (const auto& s : strips_) {
        if (std::ranges::find(strips, s) == strips.end()) gone_.push_back({s, now_ns()});
    }
    strips_ = strips;
    desk_.arrange({strips.begin(), strips.end()}, order);
}

void LiveMixer::tend() {
    desk_.tend();
    std::erase_if(gone_, [now = now_ns()](const Gone& g) { return now - g.since > 2 * kSilentFor; });
}

bool LiveMixer::leads(LiveStrip& strip, std::int64_t now) noexcept {
    LiveStrip* leader = leader_.load(std::memory_order_acquire);
    if (leader == &strip) return true;
    const bool free = leader == nullptr || now - leader->came_.load(std::memory_order_relaxed) > kSilentFor ||
                      (strip.steady_ && !leader->steady_);
    return free && leader_.compare_exchange_strong(leader, &strip, std::memory_order_acq_rel);
}

void LiveMixer::run(LiveStrip& strip, const AudioBlock& block) noexcept {
    const auto start = std::chrono::steady_clock::now();
    leader_converted_.store(strip.converted_, std::memory_order_relaxed);
    for (int done = 0; done < block.frames; done += kMost) {
        const int n = std::min(kMost, block.frames - done);
        if (!desk_.process(strip, block.slice(done, n), sum_.block(static_cast<size_t>(done), n))) {
            LiveStrip* me = &strip;
            leader_.compare_exchange_strong(me, nullptr);  // it has been removed
        }
    }
    const AudioBlock sum = sum_.block(0, block.frames);
    if (FeedSink* sink = sink_.load(std::memory_order_acquire); sink != nullptr) {
        delay_.process(sum, 0, delay_frames());
        sink->take(sum, strip.converted_);
    } else {
        delay_.pause();
    }
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
    load_.note(took.count(), block.frames, desk_.format().sample_rate);
}

}  // namespace reed
