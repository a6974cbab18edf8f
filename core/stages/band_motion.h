// What an equalizer band does by itself: goes down where its own range is loud, or up where it is faint.
#pragma once

#include <atomic>

#include "dsp/filter_design.h"
#include "dsp/gain_computer.h"
#include "dsp/moving_filter.h"
#include "stages/filtered_level.h"

namespace reed {

enum class BandMoves { stays, tames, lifts };

/// How a band moves; the ranges are those of the equalizer's table.
struct BandMotionSettings {
    BandMoves moves = BandMoves::stays;
    double threshold = -30.0;  ///< dBFS, held against the level of the band's own range
    double ratio = 2.5;        ///< R:1
    double attack_ms = 10.0;   ///< away from rest, 63 % of the way
    double release_ms = 150.0;
    double depth_db = 6.0;  ///< the farthest it moves

    bool operator==(const BandMotionSettings&) const = default;
};

/// What of the sound is a band's own range: what is heard when it is listened to alone, and measured where it
/// moves. A bell or notch: a band-pass of its frequency and Q; a shelf: a second-order low or high cut at its
/// frequency; a cut: what it takes away.
BandSettings band_range(const BandSettings& band);

/// Time constant of the mean square by which a band's level is measured, in s: one period of its frequency,
/// three of a low shelf's, below which all of its range lies; 2 to 20 ms.
double band_level_seconds(const BandSettings& band);

/// True for bells and shelves, which have a gain to move.
bool can_move(FilterType type);

/// Where a steady `level` (dBFS) moves a band from rest, in dB: down by the compressor's curve above the
/// threshold (JAES tutorial of 2012, eq. 4 without a knee), or up by the same curve below it. What is 20 to
/// 40 dB under the threshold is a pause: there less and less is lifted, below it nothing.
inline float band_motion_db(const BandMotionSettings& s, float level) {
    const float over = level - static_cast<float>(s.threshold);
    const auto slope = static_cast<float>(1.0 - 1.0 / s.ratio);
    const auto depth = static_cast<float>(s.depth_db);
    if (s.moves == BandMoves::tames) return -std::min(depth, slope * std::max(over, 0.0f));
    if (s.moves != BandMoves::lifts) return 0.0f;
    const float pause = std::min(std::max((40.0f + over) / 20.0f, 0.0f), 1.0f);
    return pause * std::min(depth, slope * std::max(-over, 0.0f));
}

/// The response in dB of a band's own movement by `moved_db` at `frequency` Hz. Added to the band at rest.
double band_motion_response_db(const BandSettings& band, double moved_db, double frequency,
                               double sample_rate);

/// The movement of one band. Audio thread but for level() and moved(), which any thread may ask.
class BandMotion {
  public:
    void prepare(double sample_rate, const BandSettings& band, const BandMotionSettings& motion);
    void set(const BandMotionSettings& motion);
    /// At a grain boundary, with the band as it is now. Another type only while nobody hears the band.
    void begin_grain(const BandSettings& band);
    /// At once at rest, with nothing ringing.
    void reset();
    /// Whether it moves or is on its way to rest: else neither listen() nor process() is needed.
    bool acting() const { return acting_; }

    /// What the equalizer is given; works out where to go in its frames.
    void listen(const AudioBlock& sound);
    /// The same frames, with the band at rest applied; moves them.
    void process(const AudioBlock& block) { filter_.process(block, moved_); }

    /// dBFS, of its own range, newest; at least -150.
    float level() const { return shown_level_.load(std::memory_order_relaxed); }
    /// dB from rest, newest.
    float moved() const { return shown_moved_.load(std::memory_order_relaxed); }

  private:
    void follow(const BandSettings& band);

    double rate_ = 48000.0;
    BandSettings band_;
    BandMotionSettings motion_;
    bool acting_ = false;
    FilteredLevel range_;
    Ballistics ballistics_;
    float sign_ = -1.0f;  // the way it moves
    float now_ = 0.0f;
    MovingFilter filter_{MovingFilter::Shape::bell};
    float moved_[kGrain] = {};
    std::atomic<float> shown_level_{-150.0f}, shown_moved_{0.0f};
};

}  // namespace reed
