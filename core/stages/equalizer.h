// Equalizer: up to sixteen bands that shape the tone.
#pragma once

#include <span>

#include "dsp/filter_design.h"
#include "stages/stage.h"

namespace reed {

inline constexpr int kEqualizerBands = 16;

/// Parameters of one band, in table order; band b's first row is b * kBandParameters.
enum BandParameter { kBandOn, kBandType, kBandFrequency, kBandGain, kBandQ, kBandSlope, kBandParameters };

/// Bell, shelves, cuts of 6 to 48 dB/octave, notch and tilt, 20 Hz to 20 kHz, +-24 dB, Q 0.1 to 30.
/// No latency.
extern const StageKind kEqualizerStage;

/// What band `band` (0 to 15) is set to, from the stage's values. The on/off state is not part of it.
BandSettings band_settings(std::span<const double> values, int band);

/// Response in dB of all bands that are on, at `frequency` Hz.
double equalizer_response_db(std::span<const double> values, double frequency, double sample_rate);

}  // namespace reed
