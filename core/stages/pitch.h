// Pitch: the voice higher or lower, its size apart from it, and snapped to the notes of a scale.
#pragma once

#include <span>

#include "stages/stage.h"

namespace reed {

enum PitchIndex { kPitchShift, kPitchSize, kPitchSnap, kPitchScale, kPitchRoot, kPitchSpeed };
enum PitchReadout { kPitchNow, kPitchGoesTo };  ///< Hz, 0 while there is none

/// Pitch-synchronous overlap-add (PsolaShifter). What has no pitch, such as s and breath, keeps its own; only
/// its size moves. Loudness kept. Delay: 47.5 ms at any setting.
extern const StageKind kPitchStage;

/// The note of a frequency (Hz, above 0), in semitones as MIDI counts them: A of 440 Hz (ISO 16) is 69.
double note_of(double frequency);
double frequency_of_note(double note);
/// Whether a scale of the stage's values has a note.
bool scale_has(std::span<const double> values, int note);
/// Semitones from a note to the nearest one of the scale.
double way_to_scale(std::span<const double> values, double note);

}  // namespace reed
