// Brings a scene that was made for another voice and room to the levels that are here.
#pragma once

#include <optional>
#include <vector>

#include "base/audio_block.h"
#include "chain/chain_spec.h"
#include "engine/render.h"
#include "scenes/reference_levels.h"

namespace reed {

/// Measures the reference levels of a chain on `sound` (some seconds of unprocessed speech with pauses):
/// levels before each stage, loudness after `fader` dB. Empty if there is no speech or no pause.
std::optional<ReferenceLevels> measure_made_for(const ChainSpec& chain, double fader,
                                                const AudioBuffer& sound, double sample_rate,
                                                const Progress& progress = {});

/// Whether input levels differ so much that the chain should be adapted: typical speech by more than
/// kOffVoice, or the distance of noise and quiet speech by more than kOffRoom (empirical values).
bool is_off(const VoiceLevels& made, const VoiceLevels& here);
inline constexpr double kOffVoice = 3.0, kOffRoom = 6.0;  // dB

/// One changed value.
struct AdaptationChange {
    enum class Why {
        level,      ///< brings the voice to the level of the reference
        threshold,  ///< keeps the distance of a threshold to noise and voice
        loudness,   ///< restores the loudness
    };
    Why why = Why::level;
    std::string stage;  ///< id of the stage; empty: the fader of the strip
    size_t row = 0;     ///< row of its table
    double from = 0.0, to = 0.0;
    bool short_of = false;  ///< the range of the row was exceeded
    VoiceLevels made{};     ///< reference levels before the stage
    VoiceLevels here{};     ///< current levels, after the earlier changes
    double lacking = 0.0;   ///< loudness error before this change, in LU

    bool operator==(const AdaptationChange&) const = default;
};

struct Fit {
    VoiceLevels made{}, here{};  ///< input levels
    std::vector<AdaptationChange> changes;
    ChainSpec chain;  ///< with all changes applied
    double fader = 0.0;
    double loudness_made = 0.0, loudness = 0.0;  ///< LUFS: reference, and with all changes applied
    /// Stages whose noise profile does not match this room.
    std::vector<std::string> taught_elsewhere;
};

/// Finds the changes with which `chain`, tuned for `made`, has the same effect on `sound`. First, a gain
/// before all thresholds brings the voice to its level. Then, stage by stage, each threshold gets its earlier
/// place between noise, quiet, typical and loud speech (linear between them, same distance beyond); where
/// that would cut words or let noise through, the place that the stage's finding proposes. Thresholds on a
/// part of the spectrum move with the typical speech level. At the end a make-up gain, or the fader, restores
/// the loudness. Bypassed stages, stages with a sidechain, and ceilings are not changed. Returns an error if
/// there is no speech or pause, or if it was cancelled.
Result<Fit> adapt_chain(const ChainSpec& chain, double fader, const ReferenceLevels& made,
                        const AudioBuffer& sound, double sample_rate, const Progress& progress = {});

/// Levels of a tap. Precondition: voice and noise are known.
VoiceLevels voice_levels(const TapLevels& tap);
/// The stage with its thresholds adapted from levels `made` to levels `here`.
StageSpec placed(StageSpec stage, const VoiceLevels& made, const VoiceLevels& here);
/// The stage with the thresholds that its finding proposes, if at the levels `in` before it noise passes or
/// words are cut, or one of both is less than a step away. Else the stage as it is.
StageSpec between_noise_and_speech(StageSpec stage, TapLevels in);

/// Reason of a change, as text with quantities.
Finding fit_reason(const AdaptationChange& change);

/// `chain` with some changes applied, and the fader in dB if it is among them.
ChainSpec with_changes(ChainSpec chain, const std::vector<AdaptationChange>& changes,
                       double* fader = nullptr);

}  // namespace reed
