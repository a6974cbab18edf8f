// A chain for one voice, microphone and room, built and tried on the recordings of a soundcheck.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "chain/chain_spec.h"
#include "soundcheck/analysis.h"
#include "soundcheck/step_sound.h"

namespace reed {

/// What a chain does to the recordings, measured by rendering it over them.
struct ChainFigures {
    double loudness = 0.0;         ///< LUFS of the talk (ITU-R BS.1770, gated)
    double true_peak = 0.0;        ///< dBTP, highest of all steps
    double noise = 0.0;            ///< dBFS in pauses
    double noise_gain = 0.0;       ///< dB by which noise in pauses fell against the speech; positive: lower
    std::optional<double> noises;  ///< dBFS of the desk noises, if recorded
    double reduction = 0.0;        ///< dB, typical of the compressor during the talk
    double limiting = 0.0;         ///< dB, typical of the limiter during the talk
    SpeechLoss loss{};             ///< of speech, over all stages before the compressor
    int latency = 0;               ///< frames
};

/// One line of a proposal: a stage, or one band of it, with the reason. A line without a stage is advice for
/// something outside the chain, or says why something is left out.
struct SoundcheckLine {
    std::string_view id;       ///< "low_cut", "suppression", "gate", "no_gate", "presence", ...
    std::string stage;         ///< id of the stage in the chain; empty: none
    int band = -1;             ///< of an equalizer, from 0; -1: the whole stage
    std::vector<size_t> rows;  ///< rows of its table that the line sets, the most telling first
    Finding why;               ///< reason, with its quantities
    std::string_view effect;   ///< what the user would hear
};

/// Result of one order of the stages.
struct OrderFigures {
    std::string_view id;  ///< "cut_suppress_tone"
    std::string stages;   ///< titles of its stages: "Gain, Low cut, Suppression, Compressor, Limiter"
    ChainFigures figures;
    double score = 0.0;  ///< lower is better
};

struct SoundcheckProposal {
    ChainSpec chain;
    std::vector<SoundcheckLine> lines;  ///< in the order of the signal; advice outside the chain first
    ChainFigures figures;               ///< of `chain`
    std::vector<OrderFigures> orders;   ///< all that were tried, the best first
    double target = 0.0;                ///< LUFS
};

inline constexpr double kSoundcheckTarget = -16.0;  ///< LUFS, the default

/// Builds the chain: each stage is set by what comes to it, several orders are rendered over the recordings,
/// and the best is returned. A stage that does not do what it is for when it is rendered is left out.
/// `target`: loudness of the output in LUFS. Uses up to `threads` threads. Returns an error if cancelled.
Result<SoundcheckProposal> propose_chain(const SoundcheckFacts& facts, const StepSound& steps,
                                         double target = kSoundcheckTarget, int threads = 2,
                                         const Progress& progress = {});

/// The chain with only the lines that are on (one flag per line; lines without a stage have no effect), with
/// its make-up or gain adjusted to the target.
Result<ChainSpec> chain_with_lines(const SoundcheckProposal& proposal, const std::vector<bool>& on,
                                   const StepSound& steps);

/// `chain` with what one line proposes and nothing else: the first stage of that kind gets its values, or
/// such a stage is added at the place that it has in the proposal; of an equalizer only the band of the line.
/// A line without a stage changes nothing.
ChainSpec with_line(ChainSpec chain, const SoundcheckProposal& proposal, size_t line);

/// Measures a chain on the recordings.
Result<ChainFigures> measure_chain(const ChainSpec& chain, const StepSound& steps);

/// Lower is better: audible noise, words and quiet speech that are cut, loudness and reduction off
/// their range, in dB as far as they can be compared (empirical weights).
double score(const ChainFigures& figures, double target);

}  // namespace reed
