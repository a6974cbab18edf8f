// The running chain: stages in order, bypass, taps, and protection against broken sound.
#pragma once

#include <atomic>
#include <memory>
#include <string>
#include <vector>

#include "chain/chain_spec.h"
#include "chain/character.h"
#include "chain/listener.h"
#include "chain/sidechain.h"
#include "chain/tap.h"

namespace reed {

/// Built off the audio thread from a valid ChainSpec, then processed on it. process() neither allocates nor
/// waits; NaN and infinity at its input or inside a stage never come out.
class Chain {
  public:
    /// Fails when chain_problems() finds something or the format is out of range. `serial` marks its taps.
    static Result<std::unique_ptr<Chain>> build(const ChainSpec& spec, const StreamFormat& format,
                                                std::uint32_t serial = 0);

    const StreamFormat& format() const { return format_; }
    std::uint32_t serial() const { return serial_; }
    /// Before it runs.
    void set_serial(std::uint32_t serial) { serial_ = serial; }

    /// Taps report here (nullptr: nowhere). Set while no one processes.
    void set_tap_queue(TapQueue* queue) { taps_to_ = queue; }

    /// Takes over what the stages of `other` have learnt of the voice, by id and kind. Before it runs;
    /// `other` may run.
    void adopt_adaptive_state(const Chain& other);

    /// Follows `spec`, which must have the same structure as the one it was built from. Any one thread other
    /// than the audio thread; lock-free. The sound moves there smoothly from the next grain on.
    void post(const ChainSpec& spec);

    /// Moves only what differs between two chains, for the stages it shares with them (by id and kind), but
    /// no structural value. As post().
    void post_changes(const ChainSpec& before, const ChainSpec& after);

    /// The factor by which what it gives is multiplied behind it (the strip's fader): a chain that fades in
    /// brings its own. process() does not apply it. Any thread.
    void set_level(double factor) { level_.store(factor, std::memory_order_relaxed); }
    double level() const { return level_.load(std::memory_order_relaxed); }

    /// True when a stage that rests here (StageKind::rests) is to be heard in `spec`, which has the same
    /// structure.
    bool wakes(const ChainSpec& spec) const;

    /// In place; block.frames of any size from 0 up, channels as in format().
    /// `listener` gets the sound at other points, copied without delay of its own. `keys`: what stages listen
    /// to instead of their own sound; each gets it to the sample as it was when what reaches it came in.
    void process(const AudioBlock& block, const Listener& listener = {}, const Keys& keys = {}) noexcept;

    /// By how many frames the input of this chain must lag behind what came in, so that no key comes too late
    /// for the stage that listens to it.
    int sidechain_delay(std::span<const Key> keys) const noexcept;

    /// Exact delay from input to output in frames; the same whatever is bypassed. A character that is on adds
    /// its own.
    int latency() const { return latency_; }
    /// What the character that is on adds to it, in frames; 0: none is.
    int character_latency() const {
        const int on = posted_character_.load(std::memory_order_relaxed);
        return on < 0 ? 0 : characters_[static_cast<size_t>(on)].latency();
    }
    /// Delay of one stage in frames.
    int stage_latency(size_t stage) const { return links_[stage].stage->latency(); }

    /// Why stage `stage` no longer does its work; nullptr while all is well. Any thread.
    const char* trouble(size_t stage) const { return links_[stage].stage->trouble(); }

    /// What stage `stage` tells: its kind's readouts. Any thread.
    std::vector<float> readouts(size_t stage) const;

    /// Samples that were not finite numbers (or beyond +120 dBFS) and were replaced, since the start.
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
    /// Where a grain stands in the block.
    struct Place {
        int at = 0, frames = 0;
    };
    void process_grain(const AudioBlock& block, const Listener& listener, const Keys& keys,
                       Place place) noexcept;
    void run_characters(const AudioBlock& block) noexcept;
    static void add_slots(Link& link, size_t& slots);
    void post_character(const ChainSpec& spec);
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
