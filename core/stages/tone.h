// Tone: body, clarity and air at frequencies that follow the voice.
#pragma once

#include <vector>

#include "stages/stage.h"

namespace reed {

enum ToneIndex { kToneBody, kToneClarity, kToneAir, kToneFollow, kToneBodyAt, kToneClarityAt };
enum ToneReadout {
    kToneBodyNow,
    kToneClarityNow,
    kTonePitch,
    kToneBodyMore,
    kToneClarityMore,
    kToneLoudness
};

/// Three broad filters: a bell at the pitch of the voice, a bell at the centroid of its spectrum between 2.5
/// and 5 kHz, and a shelf above. Both are tracked over about ten seconds of voiced speech and held in pauses.
/// Readouts compare both ranges with the mean of many voices and languages (D. Byrne and others, "An
/// international comparison of long-term average speech spectra", JASA 96 (4), 1994; its values from memory).
/// Preserves loudness. No latency.
extern const StageKind kToneStage;

/// Centre frequencies in Hz: as set if the voice is not tracked or not known yet, otherwise `found` (a
/// readout).
double tone_centre(std::span<const double> values, ToneIndex at, double found);
/// Values of an equalizer with the same response, for the current centre frequencies.
std::vector<double> tone_as_equalizer(std::span<const double> values, double body_at, double clarity_at);
/// Response of the three filters at a frequency, in dB.
double tone_gain(std::span<const double> values, double body_at, double clarity_at, double frequency,
                 double sample_rate);

}  // namespace reed
