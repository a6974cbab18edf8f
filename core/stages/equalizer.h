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

/// Row after the bands: which band is listened to alone (0: none, b + 1: band b). Transient. Heard is the
/// band's own range: a bell or notch through a band-pass of its frequency and Q, a shelf through a
/// second-order low or high cut at its frequency, a cut by what it takes away.
inline constexpr int kListenRow = kEqualizerBands * kBandParameters;

/// Rows after that one, transient too: a narrow raised band to find what sounds ugly with.
enum FindRow { kFindOn = kListenRow + 1, kFindFrequency, kFindGain, kFindQ, kEqualizerRows };

/// What band `band` (0 to 15) is set to, from the stage's values. The on/off state is not part of it.
BandSettings band_settings(std::span<const double> values, int band);

/// Response in dB of all bands that are on, at `frequency` Hz.
double equalizer_response_db(std::span<const double> values, double frequency, double sample_rate);

}  // namespace reed
