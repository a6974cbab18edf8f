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

/// Follows a ChainSpec. A change of values goes to the running chains directly, also to one that fades out,
/// and is smoothed there. A change of structure builds a new chain on the builder's thread, runs it over the
/// last seconds of input up to the sample that sounds now, and cross-fades; a build that is overtaken by
/// another change is dropped, and a fade that is overtaken ends within the shortest.
class ChainRunner final : public ChainBuilder::Client {
  public:
    explicit ChainRunner(std::shared_ptr<ChainBuilder> builder);
    ~ChainRunner() override;
    ChainRunner(const ChainRunner&) = delete;
    ChainRunner& operator=(const ChainRunner&) = delete;

    /// Sets the format and starts with `chain`, which was built from `spec`. `input` holds what run() is
    /// given, up to and with that block, and at least twelve seconds. Only while nobody calls run().
    /// `longest`: frames of the longest block.
    void open(const StreamFormat& format, const ChainSpec& spec, std::unique_ptr<Chain> chain,
              std::shared_ptr<const HistoryRing> input, int longest);

    /// The chain to sound from now on. Refuses an invalid one and goes on with the one before.
    /// Returns at once; settled() tells when it has been built and handed to the audio thread. `level`: a
    /// factor; one that is not finite changes nothing. With Fade::whole it belongs to the new chain alone,
    /// and both fade along the same curve; else it is set_level().
    Result<void> follow(const ChainSpec& spec, Fade fade = Fade::quick, std::optional<double> level = {});
    bool settled() const;
    /// Level behind the chain, as a factor from 0 up, with a short fade; of every chain that is heard or will
    /// be. Kept over open(). What is not finite changes nothing. Not for the audio thread.
    void set_level(double factor);

    /// Which chain was heard in a block.
    struct Heard {
        int latency = 0;                 ///< of the chain, in frames
        int fresh_latency = 0;           ///< of the chain that fades in
        const float* weights = nullptr;  ///< of that one, a frame each; nullptr: none fades in
        bool own_levels = false;         ///< two chains of different levels fade; apply_level() knows
    };
    /// Audio thread, after run() with the same block and what that gave: applies the level.
    void apply_level(const AudioBlock& block, const Heard& heard) noexcept;
    /// Audio thread, in place; without the level. `fresh` is where the chain that fades in copies the sound
    /// `listener` asks for. A chain that warms up or catches up knows no keys; stages that need one then wait
    /// where they were.
    Heard run(const AudioBlock& block, const Listener& listener, const Listener& fresh,
              const Keys& keys = {}) noexcept;
    /// Audio thread: delays of the chain that is heard (Chain::latency(), Chain::sidechain_delay()).
    int latency_now() const noexcept { return current_ ? current_->chain->latency() : 0; }
    int sidechain_delay(std::span<const Key> keys) const noexcept {
        return current_ ? current_->chain->sidechain_delay(keys) : 0;
    }

    /// Takes the sound before and after stage `stage` of the chain from now on; -1 ends it.
    void probe(int stage) { probe_->stage.store(stage, std::memory_order_relaxed); }
    /// Another one after open(). Control thread.
    std::shared_ptr<const Probe> probed() const { return probe_; }

    /// Serial number of the chain that sounds. Goes on counting over open().
    std::uint32_t sounding() const { return sounding_.load(std::memory_order_acquire); }
    /// Its delay in frames.
    int latency() const { return latency_.load(std::memory_order_relaxed); }
    /// What the character that is on adds to it, in frames; 0: none is.
    int character_latency() const;
    /// Next reading of any running chain; false when there is none. One reader thread.
    bool take_tap(TapFrame& out) { return taps_.try_dequeue(out); }
    /// MeterReader of chain `serial` from its warm-up, once.
    std::vector<TapFrame> take_warm_taps(std::uint32_t serial);
    /// Stages of chain `serial`, if it is one of the newest; else 0.
    size_t stage_count(std::uint32_t serial) const;
    /// The frame of the input history with which chain `serial` began; every one from there on it has heard.
    std::int64_t origin(std::uint32_t serial) const;
    /// Samples that were no numbers, of the newest chain.
    std::uint64_t faults() const;

    /// What stage `stage` of `spec` hears: the newest `seconds` of the input through the stages before it,
    /// mean of the channels, after a run-up of what came before. As much as there is. Not for the audio
    /// thread.
    std::vector<float> render_before_stage(const ChainSpec& spec, size_t stage, double seconds) const;
    /// Delay of every stage of the newest chain in frames.
    std::vector<int> stage_latencies() const;
    /// Stages of the newest chain that no longer do their work, and why.
    std::vector<std::pair<size_t, std::string>> troubles() const;

    /// What the stage of that id and kind tells (StageKind::readouts) in the newest chain that has been
    /// built; empty while it is not in that.
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
