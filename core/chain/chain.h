// The running chain: stages in order, bypass, taps, and protection against broken sound.
#pragma once

#include <algorithm>
#include <atomic>
#include <memory>
#include <string>
#include <vector>

#include "chain/chain_spec.h"
#include "chain/character.h"
#include "chain/listener.h"
#include "chain/sidechain.h"
#include "chain/tap.h"
#include "dsp/tapped_delay.h"

namespace reed {

/// Where the latency of a chain comes from, in frames.
struct ChainLatency {
    int stages = 0;
    int padding = 0;    ///< up to ChainSpec::least_latency
    int character = 0;  ///< of the active character, which uses the padding first

    int total() const { return stages + std::max(padding, character); }
    int unused_padding() const { return std::max(0, padding - character); }
    /// By how much the voice is later than Chain::latency(), because the character needs more than the
    /// padding.
    int excess() const { return std::max(0, character - padding); }
};

/// A running chain. Built from a valid ChainSpec on another thread, then processed on the audio thread.
/// process() is real-time safe; non-finite samples at the input or in a stage never reach the output.
class Chain {
  public:
    /// Returns an error if chain_problems() is not empty or the format is out of range. `serial` identifies
    /// its taps.
    static Result<std::unique_ptr<Chain>> build(const ChainSpec& spec, const StreamFormat& format,
                                                std::uint32_t serial = 0);

    const StreamFormat& format() const { return format_; }
    std::uint32_t serial() const { return serial_; }
    /// Precondition: not running.
    void set_serial(std::uint32_t serial) { serial_ = serial; }

    /// Sets the queue for tap readings; nullptr: none. Precondition: no concurrent process().
    void set_tap_queue(TapQueue* queue) { taps_to_ = queue; }

    /// Copies the adaptive state of the stages of `other`, by id and kind. Precondition: not running; `other`
    /// may run.
    void adopt_adaptive_state(const Chain& other);

    /// Sets new values from `spec`, which must have the same structure. One thread other than the audio
    /// thread; lock-free. Values change smoothly from the next sub-block on.
    void post(const ChainSpec& spec);

    /// Like post(), but sets only values that differ between two chains, for stages that it shares with them
    /// (by id and kind), and no structural values.
    void post_changes(const ChainSpec& before, const ChainSpec& after);
    /// The same for one stage of the chain itself.
    void post_changes(const StageSpec& before, const StageSpec& after);

    /// Gain factor after the chain (fader of the strip), so that a chain that fades in has its own. Not
    /// applied by process(). Thread-safe.
    void set_level(double factor) { level_.store(factor, std::memory_order_relaxed); }
    double level() const { return level_.load(std::memory_order_relaxed); }

    /// Whether a stage that is suspended here (StageKind::rests) is active in `spec`, which has the same
    /// structure.
    bool wakes(const ChainSpec& spec) const;

    /// Processes in place; any number of frames, channels as in format(). `listener` receives copies of the
    /// signal at other points. `keys`: sidechains, aligned sample-accurate with the input of the stage that
    /// uses them.
    void process(const AudioBlock& block, const Listener& listener = {}, const Keys& keys = {}) noexcept;

    /// Delay in frames that the input of this chain needs so that no sidechain arrives late.
    int sidechain_delay(std::span<const Key> keys) const noexcept;

    /// Latency in frames without a character, exact and independent of bypass: of the stages, or
    /// ChainSpec::least_latency if that is longer.
    int latency() const { return latency_; }
    /// Where the latency comes from, with the active character. Thread-safe.
    ChainLatency latencies() const;
    /// Latency of one stage in frames.
    int stage_latency(size_t stage) const { return links_[stage].stage->latency(); }

    /// Fault text of stage `stage`; nullptr if there is none. Thread-safe.
    const char* trouble(size_t stage) const { return links_[stage].stage->trouble(); }

    /// Readouts of stage `stage`. Thread-safe.
    std::vector<float> readouts(size_t stage) const;

    /// Number of samples that were not finite or above +120 dBFS and were replaced, since the start.
    std::uint64_t faults() const { return faults_.load(std::memory_order_relaxed); }

  private:
    struct Meter {
        std::int64_t skip = 0;  // frames until this tap's first piece starts
        std::int64_t index = 0;
        int filled = 0;
        float peak = 0.0f;
        double power[kMaxChannels] = {};
        float busy = 0.0f;  // seconds the stage before it has worked in this piece
    };

    Chain() = default;
    void fetch_slots() noexcept;
    /// Position of a sub-block in the block.
    struct Place {
        int at = 0, frames = 0;
    };
    void process_grain(const AudioBlock& block, const Listener& listener, const Keys& keys,
                       Place place) noexcept;
    void run_characters(const AudioBlock& block) noexcept;
    static void add_slots(Link& link, size_t& slots);
    void post_character(const ChainSpec& spec);
    void post_changes(const Link& link, const StageSpec& before, const StageSpec& after);
    static const StageSpec* spec_of(const ChainSpec& chain, const std::string* character, const Link& link);
    template <typename F>
    void each_link(F f) const;
    void give_key(Link& link, const Keys& keys, Place place, int frames) noexcept;
    void meter(size_t tap, const AudioBlock& block) noexcept;
    void close_frame(size_t tap) noexcept;
    void count_faults(std::uint64_t faults) noexcept;

    StreamFormat format_;
    std::uint32_t serial_ = 0;
    std::vector<Link> links_;
    std::vector<Character> characters_;
    TappedDelay padding_;                    // up to the least latency, around the characters
    size_t lid_ = 0;                         // stage before which they stand
    std::atomic<int> posted_character_{-1};  // index of the one that is to be heard
    int character_ = -1;
    std::vector<Meter> meters_;
    std::vector<std::atomic<double>> slots_;
    std::vector<double> fetched_;
    std::atomic<std::uint32_t> posted_{0};
    std::uint32_t followed_ = 0;
    int in_grain_ = 0;
    AudioBlock side_;  // what the stage that runs now listens to
    float side_rows_[kMaxChannels][kSubBlock] = {};
    float voice_ = -1.0f;  // probability of speech as the stages so far know it
    int tap_length_ = 480;
    int latency_ = 0;
    TapQueue* taps_to_ = nullptr;
    std::atomic<std::uint64_t> faults_{0};
    std::atomic<double> level_{1.0};
};

}  // namespace reed
