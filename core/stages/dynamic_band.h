// The level-dependent part of an equalizer band: attenuates when its range is loud, or boosts when it is
// quiet.
#pragma once

#include <array>
#include <atomic>
#include <span>

#include "base/audio_block.h"
#include "dsp/filter_design.h"
#include "dsp/gain_computer.h"
#include "dsp/level_detector.h"
#include "dsp/state_variable.h"

namespace reed {

inline constexpr int kEqualizerBands = 16;

enum class DynamicMode { stays, tames, lifts };

/// How a band moves; the ranges are those of the equalizer's table.
struct DynamicBandSettings {
    DynamicMode moves = DynamicMode::stays;
    double threshold = -30.0;  ///< dBFS, held against the level of the band's own range
    double ratio = 2.5;        ///< R:1
    double attack_ms = 10.0;   ///< away from rest, 63 % of the way
    double release_ms = 150.0;
    double depth_db = 6.0;  ///< the farthest it moves

    bool operator==(const DynamicBandSettings&) const = default;
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
float band_motion_db(const DynamicBandSettings& settings, float level);

/// The response in dB of a band's own movement by `moved_db` at `frequency` Hz. Added to the band at rest.
double band_motion_response_db(const BandSettings& band, double moved_db, double frequency,
                               double sample_rate);

/// The movements of all bands. Levels are taken over a grain each; the gains they ask for are reached within
/// the next, in a straight line of the coefficients of a trapezoidal state-variable filter, which stays
/// stable while they move (V. Zavalishin, "The Art of VA Filter Design", ch. 4; gains by R. Bristow-Johnson's
/// cookbook prototypes). A band at rest passes the sound unchanged, to the bit. Four ranges are measured at a
/// time. Audio thread but for level() and moved(), which any thread may ask.
class BandMotions {
  public:
    void prepare(double sample_rate);
    /// At a grain boundary.
    void set(int band, const DynamicBandSettings& settings);
    /// At every grain boundary and for every band: the band as it is now, and how much of it is heard, 0
    /// to 1. Another type only while nothing is.
    void begin_sub_block(int band, const BandSettings& now, double heard);
    /// Whether anything is to be done for the band at a grain boundary.
    bool acts(int band) const {
        return bands_[at(band)].acting || bands_[at(band)].settings.moves != DynamicMode::stays;
    }
    void reset();
    /// What the equalizer is given; never across a grain boundary.
    void listen(const AudioBlock& sound);
    /// The same frames, with the bands at rest applied: moves them.
    void process(const AudioBlock& block);

    /// dBFS, of the band's own range, over about 5 ms; at least -150.
    float level(int band) const { return shown_level_[at(band)].load(std::memory_order_relaxed); }
    /// dB from rest.
    float moved(int band) const { return shown_moved_[at(band)].load(std::memory_order_relaxed); }

  private:
    static constexpr size_t kLanes = 4;
    static size_t at(int band) { return static_cast<size_t>(band); }
    using Lanes = std::array<float, kLanes>;
    /// The ranges of four bands, side by side for the processor.
    struct Ranges {
        Lanes keep{}, cross{}, feed{};
        Lanes from_in{}, from_v1{}, from_v2{};  // what of the filters is the range
        std::array<Lanes, kMaxChannels> s1{}, s2{}, sum{};
        int acting = 0;
    };
    struct Coefficients {
        SvfCoefficients poles;
        float m0 = 1.0f, m1 = 0.0f, m2 = 0.0f;
    };
    struct Band {
        DynamicBandSettings settings;
        BandSettings shape;
        bool acting = false;
        float warped = 0.1f;
        GrainLevel level;
        Ballistics ballistics;
        float sign = -1.0f, moved = 0.0f;
        // At the beginning of this grain, by frame, and at its end.
        Coefficients now, step, end;
        float at_end = 0.0f;  // dB
        bool turned = false;  // has another shape since
        std::array<std::array<float, 2>, kMaxChannels> state{};
    };
    void tune(Band& band) const;
    void begin(int band, const BandSettings& shape);
    void end(int band);
    void shape_to(int band, const BandSettings& shape);
    void measure(int band);
    void move(Band& band, float to);
    static Coefficients coefficients(const Band& band, float moved_db);
    /// Up to four bands, in their order.
    void run(std::span<Band* const> row, const AudioBlock& block) const;

    double rate_ = 48000.0;
    int acting_ = 0;
    int done_ = 0;  // frames of this grain
    std::array<Band, kEqualizerBands> bands_;
    std::array<Ranges, kEqualizerBands / kLanes> ranges_;
    std::array<std::atomic<float>, kEqualizerBands> shown_level_{}, shown_moved_{};
};

}  // namespace reed
