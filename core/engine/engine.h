// The real-time host: sound in, sound out, commands in, readings out.
#pragma once

#include <atomic>
#include <memory>

#include "base/audio_callback.h"
#include "base/history_ring.h"
#include "chain/chain_runner.h"
#include "dsp/smoothed_gain.h"
#include "engine/load_meter.h"
#include "engine/monitor.h"
#include "measure/file_measure.h"

namespace reed {

/// Figures of the running engine, all since open().
struct EngineStats {
    std::uint64_t clipped = 0;  ///< samples clipped at the source (runs of three and more)
    std::uint64_t faults = 0;   ///< samples that were no numbers
    std::uint64_t blocks = 0;
    double load = 0.0;  ///< share of the deadline used, mean over about a second (0 to 1)
    double worst_load = 0.0;
    int latency = 0;       ///< frames of delay of the chain that sounds
    int block_frames = 0;  ///< size of the newest block
};

/// Factor of a fader in dB, kFaderMinDb (silence) to kFaderMaxDb, and of the strip's mute. NaN for what is no
/// finite number.
double strip_level(double fader_db, bool muted);

/// A microphone's way through the program: its chain, the mute, the headphones and the last seconds of what
/// came in and went out. process() neither allocates nor waits.
class Engine final : public AudioCallback {
  public:
    /// `builder`: the thread that builds its chains; one of its own when there is none.
    explicit Engine(std::shared_ptr<ChainBuilder> builder = std::make_shared<ChainBuilder>());
    Engine(const Engine&) = delete;
    Engine& operator=(const Engine&) = delete;

    /// What is needed to start in a format with a chain.
    struct Prepared {
        StreamFormat format;
        ChainSpec spec;
        std::unique_ptr<Chain> chain;
        std::shared_ptr<HistoryRing> input, feed, monitored;
    };
    /// Builds it: milliseconds, with a network tens of them. Any thread but the audio thread.
    static Result<Prepared> prepare(const StreamFormat& format, const ChainSpec& spec);
    /// Starts with it. Quick. Only while no device calls process().
    void open(Prepared prepared);
    /// Both at once.
    Result<void> open(const StreamFormat& format, const ChainSpec& spec);
    const StreamFormat& format() const { return format_; }

    /// Which chain sounds, and what comes next.
    ChainRunner& chain() { return chain_; }
    const ChainRunner& chain() const { return chain_; }

    /// Silences the feed, or lets it through again, with a short fade.
    void set_mute(bool mute) { mute_.store(mute, std::memory_order_relaxed); }
    /// The same, by whatever else keeps it back at the moment; both are asked.
    void suppress_output(bool hold) { held_back_.store(hold, std::memory_order_relaxed); }
    /// The strip's own mute, which the feed hears by the level of its chain (strip_level()); here for what
    /// else goes out of the strip.
    void set_strip_mute(bool mute) { strip_mute_.store(mute, std::memory_order_relaxed); }
    bool strip_muted() const { return strip_mute_.load(std::memory_order_relaxed); }
    bool muted() const {
        return mute_.load(std::memory_order_relaxed) || held_back_.load(std::memory_order_relaxed);
    }

    /// Level of what leaves it, in dB, kFaderMinDb to kFaderMaxDb; the least is silence. What is no finite
    /// number changes nothing. Any thread; kept over open().
    void set_fader(double db) { chain_.set_level(strip_level(db, false)); }

    /// Any thread; kept over open().
    void set_monitor(const MonitorSettings& settings) { monitor_.set(settings); }

    void process(const AudioBlock& block) noexcept override { process(block, Keys{}); }
    /// The same, with what its stages listen to.
    void process(const AudioBlock& block, const Keys& keys) noexcept;
    AudioBlock monitor() const noexcept override { return monitor_.sound(); }

    // Each is another one after open(), and then counts from nothing again. Control thread.
    /// What has been monitored; nothing is added while the monitor is off.
    std::shared_ptr<const HistoryRing> monitor_history() const { return monitored_; }
    /// The last twelve seconds at least; of the feed, after fader and mute.
    std::shared_ptr<const HistoryRing> input_history() const { return input_; }
    std::shared_ptr<const HistoryRing> feed_history() const { return feed_; }
    EngineStats figures() const;

  private:
    void process_piece(const AudioBlock& block, const Keys& keys) noexcept;

    StreamFormat format_;
    std::shared_ptr<HistoryRing> input_, feed_, monitored_;
    ChainRunner chain_;

    // Audio thread.
    SmoothedGain feed_gain_;
    Monitor monitor_;
    ClipCounter clips_[kMaxChannels];

    // Between threads.
    std::atomic<bool> open_{false};
    std::atomic<bool> mute_{false}, held_back_{false}, strip_mute_{false};
    std::atomic<std::uint64_t> clipped_{0};
    LoadMeter load_;
};

}  // namespace reed
