// Runs the strips of a mixer: sidechains, faders, alignment, sum of the voices with its limiter.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "dsp/crossfade_delay.h"
#include "engine/engine.h"
#include "mixer/mixer_spec.h"

namespace reed {

/// A running strip: an engine with its place in the mixer.
class Strip {
  public:
    Strip(std::string id, StripRole role, std::shared_ptr<ChainBuilder> builder)
        : id_(std::move(id)), role_(role), engine_(std::move(builder)) {}
    virtual ~Strip() = default;
    Strip(const Strip&) = delete;
    Strip& operator=(const Strip&) = delete;

    const std::string& id() const { return id_; }
    StripRole role() const { return role_; }
    /// Precondition: no mixer runs it.
    void rename(const std::string& id) { id_ = id; }
    Engine& engine() { return engine_; }
    const Engine& engine() const { return engine_; }
    /// Starts with a format and a chain, see Engine::open(). Precondition: no mixer runs it.
    void open(Engine::Prepared prepared);

    /// Fetches the next input frames for Mixer::process() without blocks. Audio thread only.
    virtual void fetch(const AudioBlock& block) noexcept;
    /// Called with the input before the strip is processed. Audio thread only.
    virtual void came(const AudioBlock&) noexcept {}
    /// Called with the output after all strips were processed. Audio thread only.
    virtual void gave(const AudioBlock&) noexcept {}

    /// Latency of the strip in frames.
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

/// Processes any number of strips of one sample rate, each with its own channel count. process() is real-time
/// safe; strips may be added and removed while it runs. Voices are aligned to the slowest, so that a voice in
/// two microphones is not coloured. A strip with sidechains is delayed until they are available; app audio is
/// delayed at least as far as the voices.
class Mixer {
  public:
    Mixer();
    ~Mixer();
    Mixer(const Mixer&) = delete;
    Mixer& operator=(const Mixer&) = delete;

    /// Sets the format of the sum. Call before the first process().
    Result<void> open(const StreamFormat& feed);
    const StreamFormat& format() const { return format_; }

    /// Sets the strips for the next block, in the order of the blocks given to process(), and an order in
    /// which each follows its sidechain sources (processing_order()). All must be open. Control thread only;
    /// tend() frees strips that are no longer included.
    void arrange(const std::vector<std::shared_ptr<Strip>>& strips, const std::vector<size_t>& order);
    /// Frees objects that the audio thread no longer uses. Call about every 100 ms. Doesn't block.
    void tend();
    /// Strips of the newest arrangement. Control thread only.
    std::vector<std::shared_ptr<Strip>> strips() const;

    /// Processes one block per strip in place, each with its own channel count and all of the same length. On
    /// return voices are aligned. `feed` receives the sum of the voices, limited if there are several, or
    /// always (limit_single_voice()).
    /// Returns false and silence if the number of blocks does not match the strips. Audio thread only.
    bool process(std::span<const AudioBlock> sounds, const AudioBlock& feed) noexcept;
    /// The same with input from Strip::fetch(); the input of `here` is `block`, in place. At most
    /// SidechainBuffer::kLongest frames. Returns false if `here` is not included.
    bool process(const Strip& here, const AudioBlock& block, const AudioBlock& feed) noexcept;

    /// Whether the sum of a single voice is limited too (false by default), so that the latency of the
    /// limiter does not come and go with the number of voices. Thread-safe.
    void limit_single_voice(bool on) { limits_single_.store(on, std::memory_order_relaxed); }
    /// Latency of the limiter of the sum, in frames; 0 before open().
    int limiter_latency() const { return lid_ ? lid_->latency() : 0; }

    /// Latency of the aligned voices, and of the limited sum, in frames.
    int voices_latency() const { return slowest_.load(std::memory_order_relaxed); }
    int latency() const { return latency_.load(std::memory_order_relaxed); }
    /// History of the sum, at least 12 s.
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
    std::atomic<bool> limits_single_{false};
    // Control thread.
    std::vector<std::unique_ptr<const Plan>> plans_;  // the newest is last
};

}  // namespace reed
