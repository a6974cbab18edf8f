// Pitch: shifts the pitch and the formants of the voice, and snaps the pitch to a scale.
#pragma once

#include <span>

#include "stages/stage.h"

namespace reed {

enum PitchIndex { kPitchShift, kPitchSize, kPitchSnap, kPitchScale, kPitchRoot, kPitchSpeed };
enum PitchReadout { kPitchNow, kPitchGoesTo };  ///< Hz, 0 while there is none

/// Pitch-synchronous overlap-add (PsolaShifter). Unvoiced sound such as s and breath is shifted in formants
/// only. Preserves loudness. Latency: 47.5 ms at any setting.
extern const StageKind kPitchStage;

/// The note of a frequency (Hz, above 0), in semitones as MIDI counts them: A of 440 Hz (ISO 16) is 69.
double note_of(double frequency);
double frequency_of_note(double note);
/// Whether the scale that the values set contains a note.
bool scale_has(std::span<const double> values, int note);
/// Semitones from a note to the nearest one of the scale.
double way_to_scale(std::span<const double> values, double note);

}  // namespace reed
