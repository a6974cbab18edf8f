// The real-time host: sound in, sound out, commands in, readings out.
#pragma once

#include <readerwriterqueue/readerwriterqueue.h>

#include <atomic>
#include <condition_variable>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

#include "base/audio_callback.h"
#include "base/history_ring.h"
#include "chain/chain.h"
#include "engine/monitor.h"
#include "measure/file_measure.h"

namespace reed {

/// How a new chain takes over.
enum class Fade { quick, scene };

/// Figures of the running engine, all since open().
struct EngineFigures {
    std::uint64_t clipped = 0;  ///< samples clipped at the source (runs of three and more)
    std::uint64_t faults = 0;   ///< samples that were no numbers
    std::uint64_t blocks = 0;
    double load = 0.0;  ///< share of the deadline used, mean over about a second (0 to 1)
    double worst_load = 0.0;
    int latency = 0;       ///< frames of delay of the chain that sounds
    int block_frames = 0;  ///< size of the newest block
};

/// Runs one chain at a time. A change of values goes to it directly and is smoothed; a change of structure
/// builds a new chain on a thread of the engine's own, runs it over the last seconds of input up to the
/// sample that sounds now, and cross-fades. process() neither allocates nor waits.
class Engine final : public AudioCallback {
  public:
    Engine();
    ~Engine() override;
    Engine(const Engine&) = delete;
    Engine& operator=(const Engine&) = delete;

    /// Sets the format and starts with `spec`. Only while no device calls process().
    Result<void> open(const StreamFormat& format, const ChainSpec& spec);
    const StreamFormat& format() const { return format_; }

    /// The chain to sound from now on. Refuses an invalid one and goes on with the one before.
    /// Returns at once; settled() tells when the engine's thread has handed it over.
    Result<void> follow(const ChainSpec& spec, Fade fade = Fade::quick);
    /// True when the last follow() has been built and handed to the audio thread.
    bool settled() const;

    /// Silences the feed, or lets it through again, with a short fade.
    void set_mute(bool mute) { mute_.store(mute, std::memory_order_relaxed); }
    bool muted() const { return mute_.load(std::memory_order_relaxed); }

    /// Any thread; kept over open().
    void set_monitor(const MonitorSettings& settings) { monitor_.set(settings); }

    void process(const AudioBlock& block) noexcept override;
    AudioBlock monitor() const noexcept override { return monitor_.sound(); }

    /// Takes the sound before and after stage `stage` of the chain from now on; -1 ends it.
    void probe(int stage) { probe_->stage.store(stage, std::memory_order_relaxed); }
    /// Replaced by open().
    const Probe& probed() const { return *probe_; }

    /// Serial number of the chain that sounds.
    std::uint32_t sounding() const { return sounding_.load(std::memory_order_acquire); }
    /// Next reading of any running chain; false when there is none. One reader thread.
    bool take_tap(TapFrame& out) { return taps_.try_dequeue(out); }
    /// Readings of chain `serial` from its warm-up, once.
    std::vector<TapFrame> take_warm_taps(std::uint32_t serial);
    /// The spec chain `serial` was last given, if it is the newest.
    size_t stage_count(std::uint32_t serial) const;
    /// The frame of the input history with which chain `serial` began; every one from there on it has heard.
    std::int64_t origin(std::uint32_t serial) const;

    /// What stage `stage` of `spec` hears: the newest `seconds` of the input through the stages before it,
    /// mean of the channels, after a run-up of what came before. As much as there is. Not for the audio
    /// thread.
    std::vector<float> sound_before(const ChainSpec& spec, size_t stage, double seconds) const;
    /// Delay of every stage of the newest chain in frames.
    std::vector<int> stage_latencies() const;
    /// Stages of the newest chain that no longer do their work, and why.
    std::vector<std::pair<size_t, const char*>> troubles() const;

    /// What has been monitored; nothing is added while the monitor is off. Replaced by open().
    std::shared_ptr<const HistoryRing> monitor_history() const { return monitored_; }
    const HistoryRing& input_history() const { return *input_; }
    const HistoryRing& feed_history() const { return *feed_; }
    EngineFigures figures() const;

  private:
    struct Arrival {
        std::unique_ptr<Chain> chain;
        Fade fade = Fade::quick;
        std::int64_t origin = 0;  ///< frame of the input it began with
        std::int64_t at = 0;      ///< frame of the input it takes next, while it catches up
    };
    void build_thread();
    void build_or_post(const ChainSpec& spec, Fade fade);
    void warm_up(Arrival& arrival);
    void free_retired();
    void process_piece(const AudioBlock& block) noexcept;
    void take_arrival() noexcept;
    bool catch_up(int block_frames) noexcept;
    void take_over() noexcept;
    void cross_fade(const AudioBlock& old_sound, const AudioBlock& new_sound) noexcept;
    void note_load(double seconds, int frames) noexcept;

    StreamFormat format_;
    TapQueue taps_{16384};
    std::shared_ptr<HistoryRing> input_, feed_;  // shared with readers that outlast an open()
    std::shared_ptr<HistoryRing> monitored_;
    std::unique_ptr<Probe> probe_ = std::make_unique<Probe>(1, 2);

    // Audio thread.
    std::unique_ptr<Arrival> current_, next_;
    AudioBuffer scratch_;
    std::vector<float> weights_;  // of the chain that fades in, for the block that is processed
    int fade_length_ = 0, fade_done_ = 0;
    bool caught_up_ = false;
    Smoothed feed_gain_;
    Monitor monitor_;
    int in_grain_ = 0;
    ClipCounter clips_[kMaxChannels];

    // Between threads.
    std::atomic<Arrival*> arriving_{nullptr};
    moodycamel::ReaderWriterQueue<Arrival*> retired_{64};
    std::atomic<bool> mute_{false};
    std::atomic<std::uint32_t> sounding_{0};
    std::atomic<std::uint64_t> clipped_{0}, blocks_{0};
    std::atomic<double> load_{0.0}, worst_load_{0.0};
    std::atomic<int> latency_{0}, block_frames_{0};

    // Control and building thread.
    mutable std::mutex mutex_;
    std::condition_variable wake_;
    ChainSpec wanted_;
    Fade wanted_fade_ = Fade::quick;
    std::uint64_t wanted_version_ = 0, done_version_ = 0;
    bool quit_ = false;
    ChainSpec built_spec_;
    Chain* newest_ = nullptr;  // owned by arriving_, next_ or current_; freed only by the building thread
    std::uint32_t next_serial_ = 1;
    std::vector<TapFrame> warm_taps_;
    struct Known {
        std::uint32_t serial = 0;
        size_t stages = 0;
        std::int64_t origin = 0;
    };
    std::vector<Known> known_;  // the newest chains
    std::thread builder_;
};

}  // namespace reed
