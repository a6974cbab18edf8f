// A desk whose strips get their sound from sources of their own, each in its own time.
#pragma once

#include <optional>

#include "base/audio_callback.h"
#include "base/stream_fifo.h"
#include "dsp/stream_resampler.h"
#include "mixer/mixer.h"
#include "takes/take_player.h"

namespace reed {

class LiveMixer;

/// A strip with a way in for one source: what a source is started with, as callback and as sink. May come
/// from any thread, one at a time.
class LiveStrip final : public Strip, public AudioCallback, public FeedSink {
  public:
    LiveStrip(LiveMixer& desk, std::string id, StripRole role, std::shared_ptr<ChainBuilder> builder)
        : Strip(std::move(id), role, std::move(builder)), desk_(desk) {}

    /// What the source that is started next gives, of the strip's channels or another number, and of the
    /// desk's rate or another one; `steady`: its blocks come in the cycle of the feed, not in a time of their
    /// own. While no source calls.
    void expect(const StreamFormat& source, bool steady);
    /// Who takes what the strip gives, beside the sum, and is pushed on by the desk's sink; nullptr: nobody.
    /// As LiveMixer::set_sink().
    void set_output(FeedSink* sink) { output_ = sink; }
    /// Who takes what comes in as it is, as late as what the strip gives, and silent while the strip is
    /// muted; else as set_output().
    void set_plain_output(FeedSink* sink) { plain_output_ = sink; }
    /// A take in place of what the source gives. Opened anew by expect().
    TakePlayer& takes() { return takes_; }
    /// Nothing goes out from now on, until TakePlayer::stop(): a take is about to loop. Control thread.
    void reserve_for_take() {
        takes_.reserve(latency());
        engine().suppress_output(true);
    }
    /// What the source gave, the last kRawHistorySeconds at least, whatever a take does; kept over expect()
    /// of the same format. Control thread.
    std::shared_ptr<const HistoryRing> said() const { return said_; }
    static constexpr double kRawHistorySeconds = 61.0;
    /// Frames that were missing when they were wanted, since expect().
    std::uint64_t missed() const { return missed_.load(std::memory_order_relaxed); }

    void process(const AudioBlock& block) noexcept override;
    void take(const AudioBlock& block, bool converted) noexcept override;
    void push() noexcept override;
    void fetch(const AudioBlock& block) noexcept override;
    void came(const AudioBlock& block) noexcept override;
    void gave(const AudioBlock& block) noexcept override;

  private:
    friend class LiveMixer;
    AudioBlock fitted(const AudioBlock& block) noexcept;

    LiveMixer& desk_;
    TakePlayer takes_;
    std::shared_ptr<HistoryRing> said_ = std::make_shared<HistoryRing>(1, 2);
    StreamFormat said_format_{0.0, 0};
    // The source's thread.
    std::optional<StreamResampler> resamplers_[kMaxChannels];
    AudioBuffer fitted_;
    bool led_ = false, steady_ = true, converted_ = false;
    // The leader's thread.
    AudioBuffer plain_;
    CrossfadeDelay plain_delay_;
    SmoothedGain plain_open_;
    // From the source's thread to the leader's.
    StreamFifo hand_over_;
    std::atomic<FeedSink*> output_{nullptr}, plain_output_{nullptr};
    std::atomic<bool> heard_{false};
    std::atomic<std::int64_t> came_{0};  // when its last block came, ns
    std::atomic<std::uint64_t> missed_{0};
};

/// The strip whose block has come runs the desk for all of them, as long as it is the leader; the others hand
/// theirs over. When the leader has sent nothing for a tenth of a second, another one leads, so that a
/// microphone that is pulled out takes no other one with it. A source in the feed's own cycle leads before
/// one in its own time.
class LiveMixer {
  public:
    explicit LiveMixer(std::shared_ptr<ChainBuilder> builder = std::make_shared<ChainBuilder>())
        : builder_(std::move(builder)) {}
    ~LiveMixer() = default;
    LiveMixer(const LiveMixer&) = delete;
    LiveMixer& operator=(const LiveMixer&) = delete;

    /// The format of the feed; no source may run.
    Result<void> open(const StreamFormat& feed);
    const StreamFormat& format() const { return desk_.format(); }
    /// Who takes the sum; nullptr: nobody. It must live until it is another one and no source runs.
    void set_sink(FeedSink* sink) { sink_ = sink; }
    /// Returns when no source's thread is within the desk: what was taken from it before is no longer used.
    void settle() const;

    /// A strip that stands beside the desk until arrange() takes it in.
    std::shared_ptr<LiveStrip> make(const std::string& id, StripRole role);
    /// See Mixer::arrange(). A strip that is left out must not be started any more.
    void arrange(const std::vector<std::shared_ptr<LiveStrip>>& strips, const std::vector<size_t>& order);
    /// Some times a second; quick.
    void tend();

    Mixer& desk() { return desk_; }
    const LoadMeter& load() const { return load_; }
    std::shared_ptr<const HistoryRing> feed_history() const { return desk_.feed_history(); }
    /// Frames between what comes in and the feed.
    int latency() const { return desk_.latency(); }

  private:
    friend class LiveStrip;
    bool leads(LiveStrip& strip, std::int64_t now) noexcept;
    void run(LiveStrip& strip, const AudioBlock& block) noexcept;

    std::shared_ptr<ChainBuilder> builder_;
    std::vector<std::shared_ptr<LiveStrip>> strips_;
    Mixer desk_;
    AudioBuffer sum_;
    struct Gone {
        std::shared_ptr<LiveStrip> strip;
        std::int64_t since = 0;  // ns
    };
    std::vector<Gone> gone_;  // a source's thread may still look at who led
    LoadMeter load_;
    std::atomic<LiveStrip*> leader_{nullptr};
    std::atomic_flag running_ = ATOMIC_FLAG_INIT;
    std::atomic<bool> leader_converted_{false};
    std::atomic<FeedSink*> sink_{nullptr};
};

}  // namespace reed
