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
/// shelves can be dynamic (dynamic_band.h), controlled by the input of the stage. No latency.
/// Readouts 2 b and 2 b + 1: level in the range of band b in dBFS, and its gain change in dB, if it is
/// dynamic.
extern const StageKind kEqualizerStage;

/// Row after the bands: band solo (0: none, b + 1: band b). Transient. The signal is that of band_range().
inline constexpr int kListenRow = kEqualizerBands * kBandParameters;

/// Rows after that one, transient too: a narrow boosted band to find resonances (sweep).
enum SweepRow { kFindOn = kListenRow + 1, kFindFrequency, kFindGain, kFindQ, kEqualizerRows };

/// Settings of band `band` (0 to 15) from the values of the stage, without its on/off state.
BandSettings band_settings(std::span<const double> values, int band);

/// Whether band `band` is dynamic: on, switched to dynamic, and of a type with a gain.
bool band_moves(std::span<const double> values, int band);

/// Dynamics settings of band `band`.
DynamicBandSettings band_motion(std::span<const double> values, int band);

/// Static response in dB of all bands that are on, at `frequency` Hz.
double equalizer_response_db(std::span<const double> values, double frequency, double sample_rate);

}  // namespace reed
