// Equalizer: up to sixteen bands that shape the tone.
#pragma once

#include <span>

#include "dsp/filter_design.h"
#include "stages/dynamic_band.h"
#include "stages/stage.h"

namespace reed {

/// Parameters of one band, in table order; band b's first row is b * kBandParameters.
enum BandParameter {
    kBandOn,
    kBandType,
    kBandFrequency,
    kBandGain,
    kBandQ,
    kBandSlope,
    kBandMoves,
    kBandThreshold,
    kBandRatio,
    kBandAttack,
    kBandRelease,
    kBandDepth,
    kBandParameters
};

/// Bell, shelves, cuts of 6 to 48 dB/octave, notch and tilt, 20 Hz to 20 kHz, +-24 dB, Q 0.1 to 30. Bells and
/// shelves may move by themselves (band_motion.h); what moves them is the sound before all bands. No latency.
/// Readouts 2 b and 2 b + 1: level of the range of band b, dBFS, and its movement, dB, while it moves.
extern const StageKind kEqualizerStage;

/// Row after the bands: which band is listened to alone (0: none, b + 1: band b). Transient. Heard is
/// band_range().
inline constexpr int kListenRow = kEqualizerBands * kBandParameters;

/// Rows after that one, transient too: a narrow raised band to find what sounds ugly with.
enum SweepRow { kFindOn = kListenRow + 1, kFindFrequency, kFindGain, kFindQ, kEqualizerRows };

/// What band `band` (0 to 15) is set to, from the stage's values. The on/off state is not part of it.
BandSettings band_settings(std::span<const double> values, int band);

/// Whether band `band` moves by itself: it is on, told to, and has a gain to move.
bool band_moves(std::span<const double> values, int band);

/// How band `band` moves.
DynamicBandSettings band_motion(std::span<const double> values, int band);

/// Response in dB, at rest, of all bands that are on, at `frequency` Hz.
double equalizer_response_db(std::span<const double> values, double frequency, double sample_rate);

}  // namespace reed
