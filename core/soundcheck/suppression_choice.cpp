#include "soundcheck/suppression_choice.h"

#include <algorithm>
#include <cmath>

namespace reed {
namespace {

// dB. Common practice (no source), or tried on the cases of bench/soundcheck.
constexpr double kLeastAmount = 6.0, kMostAmount = 30.0;
constexpr double kReserve = 3.0;        // for noise that is not steady
constexpr double kAdaptiveBonus = 2.0;  // the adaptive method costs less, so it may be so much worse
constexpr double kVoiceMayLose = 1.0;   // of typical speech

/// Noise as it is perceived: pauses and desk noises; speech that is hurt counts against it.
double annoyance(const SectionLevels& before, const SectionLevels& after, const SpeechLoss& loss) {
    double out = after.noise + 0.3 * std::max(0.0, after.noise_high - after.noise);
    if (after.noises) out += 0.3 * std::max(0.0, *after.noises - after.noise);
    out += 3.0 * static_cast<double>(loss.cut + loss.truncated);
    return out + 2.0 * std::max(0.0, before.typical - after.typical - kVoiceMayLose);
}

}  // namespace

Result<ChainRun> SuppressionRuns::run(const ChainSpec& before, const StageSpec& stage,
                                      const AudioBuffer& sound, double sample_rate) {
    ChainSpec with = before;
    with.stages.push_back(stage);
    for (const auto& [chain, run] : done_) {
        if (chain == with) return run;
    }
    auto done = run_chain({{stage}}, sound, sample_rate);
    if (done.ok()) done_.emplace_back(std::move(with), done.value());
    return done;
}

Result<std::optional<SuppressionChoice>> choose_suppression(const SoundcheckFacts& facts,
                                                            const StepSound& steps, const ChainSpec& before,
                                                            const AudioBuffer& sound,
                                                            const FrameLevels& levels, double lift,
                                                            SuppressionRuns& shared) {
    const SectionLevels in = steps.levels(levels);
    const double needed = in.noise + lift - kInaudibleNoise;
    std::optional<SuppressionChoice> best;
    if (needed < kLeastAmount) return best;
    const double amount = std::clamp(std::ceil(needed + kReserve), kLeastAmount + 2.0, kMostAmount);
    double least = 0.0;
    for (const bool neural : {false, true}) {
        StageSpec s = new_stage(before, *find_stage_kind("suppression"));
        s.set("method", neural ? 1.0 : 0.0);
        s.set("amount", -amount);
        if (facts.noise.hum && facts.noise.hum->level > facts.noise.level - 20.0) {
            s.set("hum", 1.0);
            s.set("hum_frequency", std::clamp(facts.noise.hum->frequency, 45.0, 65.0));
            s.set("hum_tones", facts.noise.hum->tones);
        }
        auto done = shared.run(before, s, sound, steps.sample_rate());
        if (!done.ok()) return done.error();
        const FrameLevels& out = done.value().taps.back();
        const SectionLevels after = steps.levels(out);
        const SpeechLoss loss = steps.loss(levels, out);
        const double now = annoyance(in, after, loss) + (neural ? kAdaptiveBonus : 0.0);
        if (best && now >= least) continue;
        const bool enough = after.noise + lift <= kInaudibleNoise && loss.cut + loss.truncated == 0 &&
                            (!after.noises || *after.noises + lift <= kInaudibleNoise);
        least = now;
        best = {std::move(s), std::move(done.value()), in.noise - after.noise, enough && !neural};
        if (best->enough) break;
    }
    return best;
}

}  // namespace reed
