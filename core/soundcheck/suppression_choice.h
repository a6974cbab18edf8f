// Which noise suppression a room needs, tried on the recordings of a soundcheck.
#pragma once

#include <optional>
#include <utility>
#include <vector>

#include "soundcheck/analysis.h"
#include "soundcheck/step_sound.h"

namespace reed {

/// Background noise below this after the chain, in dBFS, is not audible on a stream (empirical value).
inline constexpr double kInaudibleNoise = -66.0;

/// Results of suppressions that several orders share, since nothing else takes as long. One thread at a time.
class SuppressionRuns {
  public:
    /// `sound`, which is the recordings after `before`, through `stage`: from an earlier call, or run now.
    Result<ChainRun> run(const ChainSpec& before, const StageSpec& stage, const AudioBuffer& sound,
                         double sample_rate);

  private:
    std::vector<std::pair<ChainSpec, ChainRun>> done_;
};

struct SuppressionChoice {
    StageSpec stage;
    ChainRun run;          ///< of the recordings through it
    double lowered = 0.0;  ///< dB by which it lowers the background noise
    bool enough = false;   ///< the method that costs less was enough, so the other one was not tried
};

/// Runs the methods that need no noise profile over `sound` (the recordings after `before`, with `levels`)
/// and returns the one that leaves less noise without hurting speech. `lift`: gain in dB that follows. The
/// amount is what makes the noise inaudible after that gain, and some reserve. Nothing if it is inaudible
/// anyway.
Result<std::optional<SuppressionChoice>> choose_suppression(const SoundcheckFacts& facts,
                                                            const StepSound& steps, const ChainSpec& before,
                                                            const AudioBuffer& sound,
                                                            const FrameLevels& levels, double lift,
                                                            SuppressionRuns& shared);

}  // namespace reed
