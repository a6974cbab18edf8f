// Room, voice and peak at every tap, as the level diagram shows them.
#pragma once

#include <deque>
#include <functional>
#include <optional>
#include <vector>

#include "chain/tap.h"
#include "stages/finding.h"

namespace reed {

struct LevelReport {
    std::vector<TapLevels> taps;
    std::vector<StageReduction> stages;  ///< one less than taps
    bool speaking = false;               ///< the newest 50 ms at the input are speech
    double seconds = 0.0;                ///< how much of the window is filled
};

/// Which of the frames hold speech, judged from the level alone.
enum class FrameClass : unsigned char { between, room, voice };

/// Sorts frames of 10 ms into room, voice and in-between by the levels at the input.
///
/// The levels (power mean over 50 ms) are split in two by Otsu's threshold (N. Otsu, "A threshold selection
/// method from gray-level histograms", IEEE Trans. SMC 9 (1), 1979). Only if the halves lie at least 9 dB
/// apart are there two; else all belongs to one: voice when `voice_floor` is known and lies below, else room.
/// Frames within 150 ms of speech are neither, so that reverberation and breath do not count as room; nor is
/// digital silence (below -110 dBFS), which is no room at all.
std::vector<FrameClass> classify_by_level(const std::vector<float>& mean_square, double voice_floor);

/// Sorts the same frames where the probability of speech is known (`voice`, one a frame, 0 to 1; below 0
/// where it is not, which is no room).
///
/// Speech of 100 ms and more is voice (but for four seconds of a sound as steady as no talk is), and so is
/// what lies within 100 ms of it and 9 dB above the room. What has no speech within 200 ms is room, however
/// loud: but for short sounds (under half a second) that stand 9 dB above it, which are neither: a key click
/// is no quiet word, and not what the room usually is.
std::vector<FrameClass> classify_by_speech(const std::vector<float>& mean_square,
                                           const std::vector<float>& voice);

/// For third_octave_levels(): whether most 10 ms frames of a piece, given by its first and its end in
/// samples, are of this class. Keeps a reference to `classes`.
std::function<bool(size_t, size_t)> mostly(FrameClass which, const std::vector<FrameClass>& classes,
                                           double sample_rate);

/// Usual level of the room in dBFS (median over the pauses of the 50 ms levels); nothing without pauses.
std::optional<double> room_level(const std::vector<float>& mean_square,
                                 const std::vector<FrameClass>& classes);

/// How often each level occurs at one tap, as shares of the whole window. Bin b holds the levels from
/// kLowestBin + b dBFS up to 1 dB more; what lies outside counts in the outermost.
struct LevelDistribution {
    static constexpr int kLowestBin = -90, kBins = 100;
    std::vector<float> room, voice;  ///< kBins each; empty while nothing has been heard

    /// Level at the middle of bin `bin` (0 to kBins - 1), dBFS.
    static double level_of(size_t bin) { return kLowestBin + static_cast<double>(bin) + 0.5; }
    /// Share of bin `bin` of `shares` (room or voice), smoothed over its two neighbours (1:2:1) for drawing.
    /// The outermost bins count as their own outer neighbours.
    static double smoothed(const std::vector<float>& shares, size_t bin);
};

/// A word that lost its beginning or its ending in a stage.
struct TruncatedWord {
    std::int64_t index = 0;  ///< of the piece where the word begins or ends
    bool beginning = false;
    double lost_db = 0.0;  ///< more than the middle of the word lost
};

/// Collects the frames of all taps and sums up the last seconds. Not for the audio thread.
class LevelStatistics {
  public:
    /// `taps`: number of taps (stages + 1). `window_seconds`: 1 to 3600.
    explicit LevelStatistics(size_t taps = 1, double window_seconds = 10.0);

    void set_window(double seconds);
    double window() const { return window_seconds_; }
    size_t taps() const { return rows_.size(); }
    /// Forgets everything.
    void clear();

    /// Frames of one tap must come in the order of their index.
    void push(const TapFrame& frame);

    LevelReport report() const;

    LevelDistribution distribution(size_t tap) const;
    /// Words in the window whose first 60 ms or last 150 ms lost 3 dB more in stage `stage` than their
    /// middle: what a gate does that opens too late or closes too early. The 3 dB are our choice. Oldest
    /// first.
    std::vector<TruncatedWord> truncated_words(size_t stage) const;

    /// The newest pieces of a tap, oldest first: those of the window, and at least kLeastKept seconds.
    static constexpr double kLeastKept = 6.5;
    const std::deque<TapFrame>& frames(size_t tap) const { return rows_[tap].frames; }

    /// Refreshes only what moves at once in a report of the same taps: now, now_peak, reduction now.
    void update_now(LevelReport& report) const;

  private:
    struct Row {
        std::deque<TapFrame> frames;
    };
    void trim(Row& row) const;
    /// Index of the first piece of the window; there is one.
    std::int64_t first_index() const;
    size_t shared_length() const;
    /// What each piece of the shared stretch is: by the probability of speech where it is known (by a stage,
    /// or by who pushed the input's frames), else by the input's level alone.
    std::vector<FrameClass> classes(size_t length) const;
    std::vector<float> powers(size_t tap, size_t length) const;
    void fill_now(size_t tap, TapLevels& out) const;
    void fill_tap(size_t tap, const std::vector<FrameClass>& classes, size_t length, TapLevels& out) const;

    std::vector<Row> rows_;
    double window_seconds_;
    mutable double voice_floor_ = 0.0;  // the threshold last found between room and voice; 0: none yet
};

}  // namespace reed
