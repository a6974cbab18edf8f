// The strips of a desk run together: keys, faders, alignment, the sum of the voices and its lid.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "dsp/crossfade_delay.h"
#include "engine/engine.h"
#include "mixer/mixer_spec.h"

namespace reed {

/// One strip as it runs: a microphone's way through the program, and where it stands among the others.
class Strip {
  public:
    Strip(std::string id, StripRole role, std::shared_ptr<ChainBuilder> builder)
        : id_(std::move(id)), role_(role), engine_(std::move(builder)) {}
    virtual ~Strip() = default;
    Strip(const Strip&) = delete;
    Strip& operator=(const Strip&) = delete;

    const std::string& id() const { return id_; }
    StripRole role() const { return role_; }
    /// Only while no desk runs it.
    void rename(const std::string& id) { id_ = id; }
    Engine& engine() { return engine_; }
    const Engine& engine() const { return engine_; }
    /// Starts in a format with a chain; see Engine::open(). Only while no desk runs it.
    void open(Engine::Prepared prepared);

    /// Audio thread, for Mixer::process() without sounds: the strip's next frames.
    virtual void fetch(const AudioBlock& block) noexcept;
    /// Audio thread: what has come in, before the strip is run.
    virtual void came(const AudioBlock&) noexcept {}
    /// Audio thread: what came of them, when all strips have been run.
    virtual void gave(const AudioBlock&) noexcept {}

    /// Frames between what comes in and what leaves the strip.
    int latency() const { return latency_.load(std::memory_order_relaxed); }

  private:
    friend class Mixer;
    std::string id_;
    // Audio thread.
    CrossfadeDelay before_, after_;
    SidechainBuffer key_;
    StripRole role_;
    std::atomic<int> latency_{0};
    bool begun_ = false;
    Engine engine_;
};

/// Any number of strips of one sample rate, each with its own channels. process() neither allocates nor
/// waits; strips may come and go while it runs. Voices leave it aligned to the slowest of them, so that a
/// voice that two microphones hear is not coloured. A strip that listens to others is delayed so far that
/// every key is there when it is needed; a programme at least as far as the voices, so that both keep their
/// time.
class Mixer {
  public:
    Mixer();
    ~Mixer();
    Mixer(const Mixer&) = delete;
    Mixer& operator=(const Mixer&) = delete;

    /// The format of the sum, before process() is called for the first time.
    Result<void> open(const StreamFormat& feed);
    const StreamFormat& format() const { return format_; }

    /// The strips from the next block on, in the order in which process() is given their sound, and an order
    /// in which every one comes after those it listens to (processing_order()). All must be open. Control
    /// thread; who is no longer among them is freed by tend().
    void arrange(const std::vector<std::shared_ptr<Strip>>& strips, const std::vector<size_t>& order);
    /// Frees what the audio thread has done with. Some times a second; quick.
    void tend();
    /// Strips of the newest arrangement. Control thread.
    std::vector<std::shared_ptr<Strip>> strips() const;

    /// Audio thread. `sounds`: a block a strip, of its own channels and all of one length, in place; on
    /// return what the strip gives: voices aligned to each other. `feed`: gets the sum of the voices, under
    /// the lid where there are several. A number of blocks that is not that of the strips (they have just
    /// been arranged anew) gives false and silence.
    bool process(std::span<const AudioBlock> sounds, const AudioBlock& feed) noexcept;
    /// The same, with what the strips themselves give (Strip::fetch()); the sound of `here` is `block`, in
    /// place. At most SidechainBuffer::kLongest frames. False where it is not among them.
    bool process(const Strip& here, const AudioBlock& block, const AudioBlock& feed) noexcept;

    /// Frames between what comes in and the voices as process() gives them, and the sum, which has its lid
    /// on.
    int voices_latency() const { return slowest_.load(std::memory_order_relaxed); }
    int latency() const { return latency_.load(std::memory_order_relaxed); }
    /// The sum, twelve seconds at least.
    std::shared_ptr<const HistoryRing> feed_history() const { return feed_; }

    static constexpr double kOutputCeiling = -1.0;  ///< dBTP

  private:
    struct Plan {
        std::vector<std::shared_ptr<Strip>> strips;
        std::vector<size_t> order;
        size_t voices = 0;
    };
    const Plan* take_plan() noexcept;
    void finish(const AudioBlock& feed) noexcept;
    void process_piece(const Plan& plan, std::span<const AudioBlock> sounds, int from,
                       const AudioBlock& feed) noexcept;
    void run_strip(Strip& strip, const AudioBlock& block) noexcept;
    void sum_up(const Plan& plan, std::span<const AudioBlock> sounds, int from,
                const AudioBlock& feed) noexcept;
    void apply_output_limiter(bool wanted, const AudioBlock& feed) noexcept;

    StreamFormat format_;
    std::shared_ptr<HistoryRing> feed_;
    std::unique_ptr<Chain> lid_;

    // Audio thread.
    SidechainBuffer voices_;
    AudioBuffer lidded_;
    Smoothed lid_share_;
    int in_grain_ = 0;
    AudioBuffer fetched_[kMostStrips];
    Key keys_[kMostStrips + 1];
    size_t key_count_ = 0;

    // Between threads.
    std::atomic<const Plan*> plan_{nullptr}, in_use_{nullptr};
    std::atomic<int> slowest_{0};  // frames by which the voices lag, once they are aligned
    std::atomic<int> latency_{0};
    // Control thread.
    std::vector<std::unique_ptr<const Plan>> plans_;  // the newest is last
};

}  // namespace reed
