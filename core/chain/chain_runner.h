// One chain at a time on the audio thread, and how the next one takes over.
#pragma once

#include <atomic>
#include <condition_variable>
#include <memory>
#include <mutex>
#include <optional>
#include <utility>
#include <vector>

#include "base/ring_reader.h"
#include "chain/chain.h"
#include "chain/chain_builder.h"
#include "chain/fade.h"
#include "dsp/crossfade_delay.h"
#include "dsp/smoothed_gain.h"

namespace reed {

/// Runs the current chain on the audio thread and replaces it when its spec changes. Parameter changes are
/// applied to all running chains, including one that is fading out. Structural changes build a new chain on
/// the builder thread, warm it up with the last seconds of input and cross-fade to it. A newer change cancels
/// a pending build and shortens a running cross-fade to the minimum.
class ChainRunner final : public ChainBuilder::Client {
  public:
    explicit ChainRunner(std::shared_ptr<ChainBuilder> builder);
    ~ChainRunner() override;
    ChainRunner(const ChainRunner&) = delete;
    ChainRunner& operator=(const ChainRunner&) = delete;

    /// Sets the format and starts with `chain`, which was built from `spec`. `input` holds at least the last
    /// twelve seconds of input, including the block that run() gets. `longest`: frames of the longest block.
    /// Precondition: no concurrent run().
    void open(const StreamFormat& format, const ChainSpec& spec, std::unique_ptr<Chain> chain,
              std::shared_ptr<const HistoryRing> input, int longest);

    /// Requests a new spec. Returns an error for an invalid one and keeps the current chain. Doesn't block;
    /// settled() is true when the chain has been built and handed to the audio thread. `level`: a factor,
    /// ignored unless finite. With Fade::whole it applies to the new chain only, and both fade along the same
    /// curve; otherwise it acts as set_level().
    Result<void> follow(const ChainSpec& spec, Fade fade = Fade::quick, std::optional<double> level = {});
    /// Sets values and bypass of the requested spec's stage of this id. False if that is no matter of values
    /// alone (another structure, an unknown id, a value that is invalid): follow() decides then.
    bool set_stage(const StageSpec& stage);
    bool settled() const;
    /// Level after the chain, as a factor >= 0, with a short fade, for all running and future chains. Kept
    /// across open(). Ignored unless finite. Control thread only.
    void set_level(double factor);

    /// Latencies and cross-fade weights of a block.
    struct Heard {
        int latency = 0;                 ///< of the chain, in frames
        int fresh_latency = 0;           ///< of the chain that fades in
        const float* weights = nullptr;  ///< of that one, a frame each; nullptr: none fades in
        bool own_levels = false;         ///< two chains of different levels fade; apply_level() knows
    };
    /// Applies the level. Audio thread only; call after run() with the same block and its result.
    void apply_level(const AudioBlock& block, const Heard& heard) noexcept;
    /// Processes a block in place, without the level. Audio thread only. `fresh` receives the signal that
    /// `listener` requests from the chain that is fading in. A chain has no sidechains while it warms up or
    /// catches up; stages that need one hold their state.
    Heard run(const AudioBlock& block, const Listener& listener, const Listener& fresh,
              const Keys& keys = {}) noexcept;
    /// Latency and sidechain delay of the audible chain, in frames. Audio thread only.
    int latency_now() const noexcept { return current_ ? current_->chain->latency() : 0; }
    int sidechain_delay(std::span<const Key> keys) const noexcept {
        return current_ ? current_->chain->sidechain_delay(keys) : 0;
    }

    /// Starts copying the signal before and after stage `stage`; -1 stops it. Thread-safe.
    void probe(int stage) { probe_->stage.store(stage, std::memory_order_relaxed); }
    /// The copied signal; a new object after open(). Control thread only.
    std::shared_ptr<const Probe> probed() const { return probe_; }

    /// Serial number of the audible chain; keeps counting across open(). Thread-safe.
    std::uint32_t sounding() const { return sounding_.load(std::memory_order_acquire); }
    /// Its latency in frames. Thread-safe.
    int latency() const { return latency_.load(std::memory_order_relaxed); }
    /// Where the latency of the newest chain comes from, which may not be audible yet. Control thread only.
    ChainLatency latencies() const;
    /// Fetches the next reading of any running chain; false if there is none. One reader thread only.
    bool take_tap(TapFrame& out) { return taps_.try_dequeue(out); }
    /// Readings of chain `serial` from its warm-up; empty on a second call.
    std::vector<TapFrame> take_warm_taps(std::uint32_t serial);
    /// Number of stages of chain `serial`; 0 if it is not one of the newest.
    size_t stage_count(std::uint32_t serial) const;
    /// First frame of the input history that chain `serial` has processed.
    std::int64_t origin(std::uint32_t serial) const;
    /// Number of non-finite samples in the newest chain.
    std::uint64_t faults() const;

    /// Input of stage `stage` of `spec`: the newest `seconds` of the input through the stages before it, mean
    /// of the channels, after a warm-up. Shorter if less input is available. Control thread only.
    std::vector<float> render_before_stage(const ChainSpec& spec, size_t stage, double seconds) const;
    /// Latency of each stage of the newest chain, in frames.
    std::vector<int> stage_latencies() const;
    /// Stages of the newest chain that have a fault, with its text.
    std::vector<std::pair<size_t, std::string>> troubles() const;

    /// Readouts (StageKind::readouts) of the stage with this id and kind in the newest chain; empty if the
    /// chain doesn't contain it.
    std::vector<float> readouts(const StageSpec& stage) const;

    /// The builder's.
    bool tend() override;

  private:
    struct Arrival {
        std::unique_ptr<Chain> chain;
        Fade fade = Fade::quick;
        std::int64_t origin = 0;  ///< frame of the input it began with
        RingReader input;         ///< where it catches up
        CrossfadeDelay aligned;   ///< of the earlier one of the two while they are heard together
    };
    using Lock = std::unique_lock<std::mutex>;
    bool build(Lock& lock);
    bool warm_up(Arrival& arrival, std::vector<TapFrame>& frames, std::uint64_t version);
    void free_retired();
    void forget(const Arrival* arrival);
    void take_arrival() noexcept;
    bool catch_up(int block_frames) noexcept;
    void take_over() noexcept;
    void align(const AudioBlock& old_sound, const AudioBlock& new_sound) noexcept;
    bool aligned() const noexcept;
    void cross_fade(const AudioBlock& old_sound, const AudioBlock& new_sound) noexcept;
    void cross_fade_levels(const AudioBlock& old_sound, const AudioBlock& new_sound) noexcept;

    std::shared_ptr<ChainBuilder> builder_;
    StreamFormat format_;
    std::shared_ptr<const HistoryRing> input_;
    TapQueue taps_{16384};
    std::shared_ptr<Probe> probe_ = std::make_shared<Probe>(1, 2);

    // Audio thread.
    std::unique_ptr<Arrival> current_, next_;
    AudioBuffer scratch_;
    std::vector<float> weights_;              // of the chain that fades in, for the block that is processed
    std::vector<float> fade_gains_;           // of both together, as cross_fade() chose them
    SmoothedGain level_, next_level_;         // of the current chain and the one that fades in
    bool own_levels_ = false;                 // they differ
    AudioBuffer levelled_, levelled_next_;    // both sounds at their levels, and then the fade between them
    double fade_at_ = 0.0, fade_step_ = 0.0;  // 0 to 1, and by how much a frame
    // Of the sound that fades out and the one that fades in, over the last tenth of a second: how much power
    // they have, and how much of it is the same.
    struct Likeness {
        double out = 0.0, in = 0.0, both = 0.0;
    } like_;
    double like_step_ = 0.0;
    float fade_peak_ = 0.0f;  // the highest that either has given since the fade began
    double fade_room_ = 1.0;  // factor that keeps their sum below that
    bool caught_up_ = false;
    int late_ = 0;            // frames by which the new sound comes later than the old one; 0: no matter
    std::int64_t noted_ = 0;  // frames of the old sound that are known for being delayed

    // Between threads.
    std::atomic<Arrival*> arriving_{nullptr};
    moodycamel::ReaderWriterQueue<Arrival*> retired_{64};
    std::atomic<std::uint32_t> sounding_{0};
    std::atomic<int> latency_{0};
    // Changed with the mutex held.
    std::atomic<std::uint64_t> wanted_version_{0};
    std::atomic<bool> opening_{false};

    // Control and builder's thread, with the mutex.
    mutable std::mutex mutex_;
    std::condition_variable done_;
    ChainSpec wanted_;
    Fade wanted_fade_ = Fade::quick;
    double wanted_level_ = 1.0;
    std::uint64_t done_version_ = 0;
    bool building_ = false;
    int dropped_ = 0;  // builds in a row that were dropped
    ChainSpec built_spec_;
    Chain* newest_ = nullptr;    // one of alive_
    std::vector<Chain*> alive_;  // owned by arriving_, next_, current_ or retired_; freed with the mutex held
    std::uint32_t next_serial_ = 1;
    std::vector<TapFrame> warm_taps_;
    struct Known {
        std::uint32_t serial = 0;
        size_t stages = 0;
        std::int64_t origin = 0;
    };
    const Known* known(std::uint32_t serial) const;
    std::vector<Known> known_;  // the newest chains
};

}  // namespace reed
