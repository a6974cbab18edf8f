// Tone: more or less chest, words and air, at places that go by the voice.
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

/// Three broad filters: a bell at the voice's pitch, one where its consonants have their weight between 2.5
/// and 5 kHz, and a shelf above. Pitch by PitchDetector, weight by the power in bands while there is a pitch,
/// both over some ten seconds of voice, and held in pauses. How much it has of both is told against the mean
/// of many voices and languages (D. Byrne and others, "An international comparison of long-term average
/// speech spectra", JASA 96 (4), 1994; its values from memory). Loudness kept. No delay.
extern const StageKind kToneStage;

/// The bands' centres where the voice is not followed or not known yet; else `found` (a readout, Hz).
double tone_centre(std::span<const double> values, ToneIndex at, double found);
/// Values of an equalizer with the same curve, for centres as they are now.
std::vector<double> tone_as_equalizer(std::span<const double> values, double body_at, double clarity_at);
/// What the three do to a frequency, in dB.
double tone_gain(std::span<const double> values, double body_at, double clarity_at, double frequency,
                 double sample_rate);

}  // namespace reed
