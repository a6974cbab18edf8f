// A mixer whose strips have sources with independent clocks.
#pragma once

#include <optional>

#include "base/audio_callback.h"
#include "base/stream_fifo.h"
#include "dsp/mute_gain.h"
#include "dsp/stream_resampler.h"
#include "mixer/delayed_output.h"
#include "mixer/mixer.h"
#include "takes/take_player.h"

namespace reed {

class LiveMixer;

/// A strip that can be the callback and the sink of one source. Its functions may be called from any thread,
/// one at a time.
class LiveStrip final : public Strip, public AudioCallback, public FeedSink {
  public:
    LiveStrip(LiveMixer& desk, std::string id, StripRole role, std::shared_ptr<ChainBuilder> builder)
        : Strip(std::move(id), role, std::move(builder)), desk_(desk) {}

    /// Configures format and clock of the next source; channels and rate may differ from the mixer's.
    /// `steady`: the source runs in the cycle of the output. Precondition: no source calls.
    void expect(const StreamFormat& source, bool steady);
    /// Additional receiver of the strip's output; nullptr for none. Same lifetime rules as
    /// LiveMixer::set_sink().
    void set_output(FeedSink* sink) { output_ = sink; }
    /// Receiver of the unprocessed input, aligned with the strip's output and silent while the strip is
    /// muted; otherwise as set_output().
    void set_plain_output(FeedSink* sink) { plain_output_ = sink; }
    /// Plays a take instead of the source. Reopened by expect().
    TakePlayer& takes() { return takes_; }
    /// Silences the output until TakePlayer::stop(), because a take is about to loop. Control thread only.
    void reserve_for_take() {
        takes_.reserve(latency());
        engine().suppress_output(true);
    }
    /// Unprocessed input of at least the last kRawHistorySeconds, unaffected by takes. Kept across expect()
    /// if the format is unchanged. Control thread only.
    std::shared_ptr<const HistoryRing> said() const { return said_; }
    static constexpr double kRawHistorySeconds = 61.0;
    /// Frames that were not available in time since expect(). Thread-safe.
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
    DelayedOutput plain_delay_;
    MuteGain plain_open_, plain_shut_;  // before and behind its delay
    AudioBuffer delayed_;
    DelayedOutput delay_;
    bool was_muted_ = false;
    // From the source's thread to the leader's.
    StreamFifo hand_over_;
    std::atomic<FeedSink*> output_{nullptr}, plain_output_{nullptr};
    std::atomic<bool> heard_{false};
    std::atomic<std::int64_t> came_{0};  // when its last block came, ns
    std::atomic<std::uint64_t> missed_{0};
};

/// Combines sources with independent clocks. One strip is the leader: whenever its source delivers a block,
/// that thread processes the whole mixer. If the leader delivers nothing for 100 ms, another strip becomes
/// the leader, so a microphone that is unplugged does not stop the others. A source in the cycle of the
/// output leads before others.
class LiveMixer {
  public:
    explicit LiveMixer(std::shared_ptr<ChainBuilder> builder = std::make_shared<ChainBuilder>())
        : builder_(std::move(builder)) {}
    ~LiveMixer() = default;
    LiveMixer(const LiveMixer&) = delete;
    LiveMixer& operator=(const LiveMixer&) = delete;

    /// Sets the format of the output. Precondition: no source runs.
    Result<void> open(const StreamFormat& feed);
    const StreamFormat& format() const { return desk_.format(); }
    /// Receiver of the sum; nullptr for none. It must stay valid until it is replaced and no source runs.
    void set_sink(FeedSink* sink) { sink_ = sink; }
    /// Blocks until no source thread is inside the mixer. Strips removed before are then unused.
    void settle() const;

    /// Delays all outputs by so many ms more, 0 to kLongestOutputDelay. An increase silences them for that
    /// long, a decrease is cross-faded. The histories and the headphones are not delayed. When a voice is
    /// muted, what was said before and has not gone out yet never does; the other voices lose as much.
    /// Thread-safe; ignored unless finite.
    void set_output_delay(double ms);
    double output_delay() const { return output_delay_.load(std::memory_order_relaxed); }
    static constexpr double kLongestOutputDelay = 1000.0;  ///< ms

    /// Creates a strip; arrange() adds it to the mixer.
    std::shared_ptr<LiveStrip> make(const std::string& id, StripRole role);
    /// See Mixer::arrange(). A strip that is left out must not be started again.
    void arrange(const std::vector<std::shared_ptr<LiveStrip>>& strips, const std::vector<size_t>& order);
    /// Frees unused objects. Call about every 100 ms. Doesn't block.
    void tend();

    Mixer& desk() { return desk_; }
    const LoadMeter& load() const { return load_; }
    std::shared_ptr<const HistoryRing> feed_history() const { return desk_.feed_history(); }
    /// Latency from input to output, in frames.
    int latency() const { return desk_.latency(); }

  private:
    friend class LiveStrip;
    bool leads(LiveStrip& strip, std::int64_t now) noexcept;
    void run(LiveStrip& strip, const AudioBlock& block) noexcept;

    std::shared_ptr<ChainBuilder> builder_;
    std::vector<std::shared_ptr<LiveStrip>> strips_;
    int delay_frames() const noexcept;

    Mixer desk_;
    AudioBuffer sum_;
    DelayedOutput delay_;
    std::atomic<double> output_delay_{0.0};
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
