// The real-time host: sound in, sound out, commands in, readings out.
#pragma once

#include <atomic>
#include <memory>

#include "base/audio_callback.h"
#include "base/history_ring.h"
#include "chain/chain_runner.h"
#include "dsp/mute_gain.h"
#include "engine/load_meter.h"
#include "engine/monitor.h"
#include "measure/file_measure.h"

namespace reed {

/// Statistics of the running engine since open().
struct EngineStats {
    std::uint64_t clipped = 0;  ///< samples clipped at the source (runs of three and more)
    std::uint64_t faults = 0;   ///< non-finite samples
    std::uint64_t blocks = 0;
    double load = 0.0;  ///< share of the deadline used, mean over about a second (0 to 1)
    double worst_load = 0.0;
    int latency = 0;       ///< latency of the audible chain in frames
    int block_frames = 0;  ///< size of the newest block
};

/// Length of the fade of a mute, in s (MuteGain).
inline constexpr double kMuteFade = 0.010;

/// Gain factor of a fader in dB (kFaderMinDb is silence) and a mute. NaN unless finite.
double strip_level(double fader_db, bool muted);

/// Real-time host of one strip: chain, mute, headphones, and histories of input and output. process() is
/// real-time safe.
class Engine final : public AudioCallback {
  public:
    /// `builder`: thread that builds its chains; by default its own.
    explicit Engine(std::shared_ptr<ChainBuilder> builder = std::make_shared<ChainBuilder>());
    Engine(const Engine&) = delete;
    Engine& operator=(const Engine&) = delete;

    /// Everything needed to start with a format and a chain.
    struct Prepared {
        StreamFormat format;
        ChainSpec spec;
        std::unique_ptr<Chain> chain;
        std::shared_ptr<HistoryRing> input, feed, monitored;
    };
    /// Builds it; takes milliseconds, with a network tens of milliseconds. Not on the audio thread.
    static Result<Prepared> prepare(const StreamFormat& format, const ChainSpec& spec);
    /// Starts with it. Doesn't block. Precondition: no concurrent process().
    void open(Prepared prepared);
    /// Both at once.
    Result<void> open(const StreamFormat& format, const ChainSpec& spec);
    const StreamFormat& format() const { return format_; }

    /// Runs the audible chain and its successors.
    ChainRunner& chain() { return chain_; }
    const ChainRunner& chain() const { return chain_; }

    /// Mutes or unmutes the output with a short fade. Thread-safe.
    void set_mute(bool mute) { mute_.store(mute, std::memory_order_relaxed); }
    /// A second, independent mute of the output, used by loops. Thread-safe.
    void suppress_output(bool hold) { held_back_.store(hold, std::memory_order_relaxed); }
    /// Mute of the strip for its additional outputs; the main output uses the level of the chain
    /// (strip_level()).
    void set_strip_mute(bool mute) { strip_mute_.store(mute, std::memory_order_relaxed); }
    bool strip_muted() const { return strip_mute_.load(std::memory_order_relaxed); }
    bool muted() const {
        return mute_.load(std::memory_order_relaxed) || held_back_.load(std::memory_order_relaxed);
    }

    /// Output level in dB, kFaderMinDb (silence) to kFaderMaxDb. Ignored unless finite. Thread-safe; kept
    /// across open().
    void set_fader(double db) { chain_.set_level(strip_level(db, false)); }

    /// Thread-safe; kept across open().
    void set_monitor(const MonitorSettings& settings) { monitor_.set(settings); }

    void process(const AudioBlock& block) noexcept override { process(block, Keys{}); }
    /// The same with sidechains.
    void process(const AudioBlock& block, const Keys& keys) noexcept;
    AudioBlock monitor() const noexcept override { return monitor_.sound(); }

    // Each is another one after open(), and then counts from nothing again. Control thread.
    /// History of the headphone signal; not extended while they are off.
    std::shared_ptr<const HistoryRing> monitor_history() const { return monitored_; }
    /// Histories of at least 12 s; the output after fader and mute.
    std::shared_ptr<const HistoryRing> input_history() const { return input_; }
    std::shared_ptr<const HistoryRing> feed_history() const { return feed_; }
    EngineStats figures() const;

  private:
    void process_piece(const AudioBlock& block, const Keys& keys) noexcept;

    StreamFormat format_;
    std::shared_ptr<HistoryRing> input_, feed_, monitored_;
    ChainRunner chain_;

    // Audio thread.
    MuteGain feed_gain_;
    Monitor monitor_;
    ClipCounter clips_[kMaxChannels];

    // Between threads.
    std::atomic<bool> open_{false};
    std::atomic<bool> mute_{false}, held_back_{false}, strip_mute_{false};
    std::atomic<std::uint64_t> clipped_{0};
    LoadMeter load_;
};

}  // namespace reed
