#include "soundcheck/loudness_target.h"

#include <algorithm>
#include <cmath>

#include "measure/loudness.h"

namespace reed {

int lifting_stage(const ChainSpec& chain) {
    int gain = -1;
    int makeup = -1;
    for (size_t i = 0; i < chain.stages.size(); ++i) {
        if (chain.stages[i].bypass) continue;
        const auto lift = chain.stages[i].stage_kind().lift;
        if (lift == StageKind::Lift::trim) gain = static_cast<int>(i);
        if (lift == StageKind::Lift::makeup) makeup = static_cast<int>(i);
    }
    return makeup >= 0 ? makeup : gain;
}

Result<ChainRun> bring_to_loudness(ChainSpec& chain, size_t at, const AudioBuffer& before,
                                   const StepSound& steps, double target) {
    StageSpec& lifts = chain.stages[at];
    const auto row = static_cast<size_t>(lifts.stage_kind().find(lifts.stage_kind().lift_row));
    const Parameter& p = lifts.stage_kind().parameters[row];
    const double rate = steps.sample_rate();
    for (int round = 0;; ++round) {
        auto run = run_chain({{chain.stages.begin() + static_cast<std::ptrdiff_t>(at), chain.stages.end()}},
                             before, rate);
        if (!run.ok()) return run.error();
        AudioBuffer talk = steps.part(run.value().out, SoundcheckStep::talk);
        const auto loudness = measure_loudness(talk, rate).integrated;
        const double off = loudness ? target - *loudness : 0.0;
        const double rounded =
            std::round(10.0 * std::clamp(lifts.values[row] + off, p.minimum, p.maximum)) / 10.0;
        if (round == 4 || std::abs(off) < 0.2 || rounded == lifts.values[row]) return run;
        lifts.values[row] = rounded;
    }
}

}  // namespace reed
