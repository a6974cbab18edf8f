// Which bands of an equalizer bring a voice nearer to average speech.
#pragma once

#include <string_view>
#include <vector>

#include "chain/chain_spec.h"
#include "dsp/filter_design.h"
#include "soundcheck/analysis.h"

namespace reed {

struct EqualizerMove {
    std::string_view id;  ///< "body", "boxiness", "presence", "brightness", "resonance"
    BandSettings band{};
    double differs = 0.0;  ///< dB from average speech, or height of the resonance
};

/// At most four moves within +-4 dB, by frequency: half of what goes beyond the tolerance (kToneTolerance),
/// and less of a resonance. Nothing is lifted where the background noise comes within 18 dB of the speech,
/// and boxiness only lowered.
std::vector<EqualizerMove> equalizer_moves(const SoundcheckFacts& facts);

/// Reason and effect of a move, as texts.
Finding reason_of(const EqualizerMove& move);
std::string_view effect_of(const EqualizerMove& move);

/// Turns band `band` (from 0) of an equalizer on, with these settings.
void set_band(StageSpec& equalizer, int band, const BandSettings& settings);
/// Number of bands of an equalizer that are on.
int bands_on(const StageSpec& equalizer);

}  // namespace reed
