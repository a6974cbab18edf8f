// What the window shows of the running engine, summed up away from the audio thread.
#pragma once

#include <deque>

#include "engine/engine.h"
#include "measure/loudness.h"
#include "measure/voice_detector.h"

namespace reed {

/// Drains the engine's readings. Call poll() some 30 to 60 times a second from one thread.
class MeterReader {
  public:
    explicit MeterReader(Engine& engine);

    /// Loudness is that of this sound from now on, not of the engine's own feed.
    void follow_feed(std::shared_ptr<const HistoryRing> feed, const StreamFormat& format) {
        outside_ = std::move(feed);
        outside_format_ = format;
    }
    /// For app audio: no detection of speech, which takes time; loud and quiet are separated by level alone.
    void expect_no_voice() { no_voice_ = true; }
    /// Reads the frames since the last call.
    void poll(bool sum_up = true);

    /// Room, voice and peak at every tap over the window. Recomputed at most ten times a second.
    const LevelReport& levels() const { return levels_; }
    /// The same for findings, which must not change with every word: over the last kLastingSeconds, but not
    /// from before the last change (values_changed()), once that is longer than the window; until then
    /// levels(). Recomputed at most every two seconds.
    const LevelReport& lasting_levels();
    static constexpr double kLastingSeconds = 30.0;
    /// Call when values of the chain have changed.
    void values_changed() { lasting_.clear(); }
    /// True when levels() belongs to a chain with this many stages.
    bool fits(size_t stages) const { return levels_.taps.size() == stages + 1; }
    /// Piece by piece, for views over time.
    const LevelStatistics& statistics() const { return statistics_; }
    const LoudnessReading& feed() const { return loudness_; }
    EngineStats figures() const { return engine_.figures(); }
    /// Samples clipped at the source within the window of the levels, and since the last restart().
    std::uint64_t clipped() const;

    /// Window of "since the last restart()", in seconds: longer would cost memory without telling more.
    static constexpr double kSinceReset = 600.0;
    void set_window(double seconds) { statistics_.set_window(seconds); }
    double window() const { return statistics_.window(); }
    /// Forgets levels, and the integrated loudness and highest true peak of the feed.
    void restart();

  private:
    void take(TapFrame frame);
    void hear_voice();
    void poll_taps(bool sum_up);
    void poll_feed();
    void poll_clips();

    Engine& engine_;
    LevelStatistics statistics_, lasting_{1, kLastingSeconds};
    std::unique_ptr<VoiceDetector> detector_;  // while no stage knows who speaks
    RingReader detected_;
    std::int64_t detector_from_ = 0;
    std::int64_t origin_ = 0;  // frame of the input with which the chain began
    bool stage_knows_ = false, no_voice_ = false;
    std::unique_ptr<LoudnessMeter> meter_;
    RingReader feed_;
    std::shared_ptr<const HistoryRing> outside_;  // none: the engine's
    StreamFormat outside_format_;
    std::uint32_t chain_ = 0;
    std::int64_t loudness_at_ = 0;
    std::int64_t summed_up_ = 0;  // pieces pushed when levels_ was computed last
    std::int64_t pushed_ = 0;
    std::int64_t lasting_at_ = 0;  // pieces pushed when lasting_levels_ was computed last
    std::int64_t skip_below_ = 0;
    LevelReport levels_, lasting_levels_;
    LoudnessReading loudness_;
    /// So many samples had been clipped when so many frames had come in.
    struct Clips {
        std::int64_t at = 0;
        std::uint64_t count = 0;
    };
    std::deque<Clips> clips_;
    std::vector<TapFrame> early_;
};

}  // namespace reed
