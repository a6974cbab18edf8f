// Background noise, voice and peak at every tap, as the level diagram shows them.
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
    std::vector<StageReduction> stages;  ///< size: taps - 1
    bool speaking = false;               ///< the newest 50 ms at the input are speech
    double seconds = 0.0;                ///< filled part of the window in s
};

/// Classification of frames.
enum class FrameClass : unsigned char { between, room, voice };

/// Classifies frames of 10 ms as background noise, voice or ambiguous by the input level.
///
/// The levels (power mean over 50 ms) are split in two by Otsu's threshold (N. Otsu, "A threshold selection
/// method from gray-level histograms", IEEE Trans. SMC 9 (1), 1979). If both groups are less than
/// 9 dB apart there is only one: voice if `voice_floor` is known and below, otherwise noise. Frames within
/// 150 ms of speech are ambiguous, so that reverberation and breath do not count as noise. Digital silence
/// (below -110 dBFS) is ambiguous too.
std::vector<FrameClass> classify_by_level(const std::vector<float>& mean_square, double voice_floor);

/// Classifies frames by the probability of speech (`voice`, one per frame, 0 to 1; negative: unknown, which
/// is ambiguous).
///
/// Speech of at least 100 ms is voice (except 4 s of a sound steadier than talk), and so is sound within 100
/// ms of it and 9 dB above the noise. Sound without speech within 200 ms is noise at any level, except short
/// sounds (under 0.5 s) 9 dB above it, which are ambiguous: a key click is neither a quiet word nor typical
/// noise.
std::vector<FrameClass> classify_by_speech(const std::vector<float>& mean_square,
                                           const std::vector<float>& voice);

/// Predicate for third_octave_levels(): whether most 10 ms frames of a piece (first and end in samples) are
/// of this class. Holds a reference to `classes`.
std::function<bool(size_t, size_t)> mostly(FrameClass which, const std::vector<FrameClass>& classes,
                                           double sample_rate);

/// Typical level of the background noise in dBFS (median of the 50 ms levels in pauses); empty without
/// pauses.
std::optional<double> room_level(const std::vector<float>& mean_square,
                                 const std::vector<FrameClass>& classes);

/// Distribution of the levels at one tap, as shares of the whole window. Bin b covers 1 dB from kLowestBin +
/// b dBFS; levels outside count in the outermost bins.
struct LevelDistribution {
    static constexpr int kLowestBin = -90, kBins = 100;
    std::vector<float> room, voice;  ///< kBins each; empty without input

    /// Level at the middle of bin `bin` (0 to kBins - 1), dBFS.
    static double level_of(size_t bin) { return kLowestBin + static_cast<double>(bin) + 0.5; }
    /// Share of bin `bin` of `shares` (room or voice), smoothed over its two neighbours (1:2:1) for drawing.
    /// The outermost bins count as their own outer neighbours.
    static double smoothed(const std::vector<float>& shares, size_t bin);
};

/// A word whose beginning or end a stage has removed.
struct TruncatedWord {
    std::int64_t index = 0;  ///< index of the frame where the word begins or ends
    bool beginning = false;
    double lost_db = 0.0;  ///< loss beyond that of the middle of the word
};

/// Collects the frames of all taps and evaluates the last seconds. Not on the audio thread.
class LevelStatistics {
  public:
    /// `taps`: number of taps (stages + 1). `window_seconds`: 1 to 3600.
    explicit LevelStatistics(size_t taps = 1, double window_seconds = 10.0);

    void set_window(double seconds);
    double window() const { return window_seconds_; }
    size_t taps() const { return rows_.size(); }
    /// Clears everything.
    void clear();

    /// Frames of one tap must come in the order of their index.
    void push(const TapFrame& frame);

    LevelReport report() const;

    LevelDistribution distribution(size_t tap) const;
    /// Words in the window whose first 60 ms or last 150 ms lost 3 dB more in stage `stage` than their
    /// middle, as by a gate that opens too late or closes too early. 3 dB is an empirical value. Oldest
    /// first.
    std::vector<TruncatedWord> truncated_words(size_t stage) const;

    /// The newest frames of a tap, oldest first: those of the window, and at least kLeastKept seconds.
    static constexpr double kLeastKept = 6.5;
    const std::deque<TapFrame>& frames(size_t tap) const { return rows_[tap].frames; }

    /// Updates only the current values in a report of the same taps: now, now_peak, reduction now.
    void update_now(LevelReport& report) const;

  private:
    struct Row {
        std::deque<TapFrame> frames;
    };
    void trim(Row& row) const;
    /// Index of the first frame of the window. Precondition: there is one.
    std::int64_t first_index() const;
    size_t shared_length() const;
    /// Class of each common frame: by the probability of speech if it is known (from a stage, or with the
    /// frames of the input), otherwise by the input level.
    std::vector<FrameClass> classes(size_t length) const;
    std::vector<float> powers(size_t tap, size_t length) const;
    void fill_now(size_t tap, TapLevels& out) const;
    void fill_tap(size_t tap, const std::vector<FrameClass>& classes, size_t length, TapLevels& out) const;

    std::vector<Row> rows_;
    double window_seconds_;
    mutable double voice_floor_ = 0.0;  // last threshold between noise and voice; 0: none yet
};

}  // namespace reed
