// Brings a scene that was made for another voice and room to the levels that are here.
#pragma once

#include <optional>
#include <vector>

#include "base/audio_block.h"
#include "chain/chain_spec.h"
#include "engine/render.h"
#include "scenes/reference_levels.h"

namespace reed {

/// What a chain is made for, measured on `sound` (some seconds of speech with pauses, as it comes in): levels
/// before every stage, loudness after `fader` dB. Nothing when there is no speech or no pause in it.
std::optional<ReferenceLevels> measure_made_for(const ChainSpec& chain, double fader,
                                                const AudioBuffer& sound, double sample_rate,
                                                const Progress& progress = {});

/// True when the levels that come in are so much others that settings by level no longer fit: a usual voice
/// more than kOffVoice away, or a room that stands otherwise to the quiet words by more than kOffRoom (our
/// choice).
bool is_off(const VoiceLevels& made, const VoiceLevels& here);
inline constexpr double kOffVoice = 3.0, kOffRoom = 6.0;  // dB

/// One value that becomes another one.
struct AdaptationChange {
    enum class Why {
        level,      ///< brings the voice to the level that the stages were set for
        threshold,  ///< stands to room and voice as it did
        loudness,   ///< brings the voice to the loudness it had
    };
    Why why = Why::level;
    std::string stage;  ///< its id; empty: the strip's fader
    size_t row = 0;     ///< of its table
    double from = 0.0, to = 0.0;
    bool short_of = false;  ///< more was wanted than the row can do
    VoiceLevels made{};     ///< what came to the stage then
    VoiceLevels here{};     ///< and what does now, with the changes before it made
    double lacking = 0.0;   ///< loudness: LU that it was away before this change

    bool operator==(const AdaptationChange&) const = default;
};

struct Fit {
    VoiceLevels made{}, here{};  ///< what comes in
    std::vector<AdaptationChange> changes;
    ChainSpec chain;  ///< with all of them made
    double fader = 0.0;
    double loudness_made = 0.0, loudness = 0.0;  ///< LUFS: as it was, and with all of them made
    /// Stages that were taught another room than this one.
    std::vector<std::string> taught_elsewhere;
};

/// What to change so that `chain`, made for `made`, does to `sound` what it did there. First a gain that
/// stands before every stage with a threshold brings the voice to its level; then, stage by stage with what
/// was changed before it, every threshold is put where it stood between room, quiet, usual and loud voice
/// (straight lines between those, the same distance beyond them), and those on a part of the spectrum as far
/// as the usual voice has moved; at the end a make-up, or the fader, brings the loudness back. Stages that
/// are bypassed or listen to another strip are left alone, and so are ceilings, which belong to what goes
/// out. Fails when there is no speech or pause in `sound`, or it was cancelled.
Result<Fit> adapt_chain(const ChainSpec& chain, double fader, const ReferenceLevels& made,
                        const AudioBuffer& sound, double sample_rate, const Progress& progress = {});

/// What a tap has measured of voice and room, both of which must be known.
VoiceLevels voice_levels(const TapLevels& tap);
/// The stage with its thresholds where they stand to `here` as they stood to `made`.
StageSpec placed(StageSpec stage, const VoiceLevels& made, const VoiceLevels& here);

/// Why, in words with figures.
Finding fit_reason(const AdaptationChange& change);

/// `chain` with some changes made; the fader in dB where one of them is of it.
ChainSpec with_changes(ChainSpec chain, const std::vector<AdaptationChange>& changes,
                       double* fader = nullptr);

}  // namespace reed
