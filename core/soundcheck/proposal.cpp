#include "soundcheck/proposal.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <future>

#include "base/decibel.h"
#include "measure/loudness.h"
#include "soundcheck/chain_builder.h"
#include "soundcheck/equalizer_moves.h"
#include "soundcheck/loudness_target.h"

namespace reed {
namespace {

constexpr double kPerCutWord = 6.0, kPerCutPiece = 3.0, kPerLoudness = 2.0, kPerReduction = 1.0;
constexpr double kReductionFrom = 3.0, kReductionTo = 8.0;
constexpr double kLeastMs = 0.02;  // score for a millisecond of latency

ChainFigures figures_of(const ChainSpec& chain, ChainRun& r, const StepSound& steps) {
    ChainFigures f;
    f.latency = r.latency;
    const SectionLevels in = steps.levels(steps.input());
    const SectionLevels now = steps.levels(r.taps.back());
    AudioBuffer talk = steps.part(r.out, SoundcheckStep::talk);
    f.loudness = measure_loudness(talk, steps.sample_rate()).integrated.value_or(kSilenceDb);
    f.true_peak = measure_loudness(r.out, steps.sample_rate()).true_peak.value_or(kSilenceDb);
    f.noise = now.noise;
    f.noises = now.noises;
    f.noise_gain = (in.noise - in.typical) - (now.noise - now.typical);
    // What takes noise away may take speech with it; the other stages are meant to change speech.
    const auto takes_noise = [](const StageSpec& stage) {
        return stage.stage_kind().closes_in_pauses || stage.stage_kind().teaching != nullptr;
    };
    std::optional<FrameLevels> before;
    FrameLevels after;
    for (size_t i = 0; i < chain.stages.size(); ++i) {
        const StageSpec& s = chain.stages[i];
        if (s.bypass) continue;
        const bool limits = s.stage_kind().lid;
        if (limits || s.stage_kind().wanted != nullptr)
            (limits ? f.limiting : f.reduction) =
                steps.median_in_speech(SoundcheckStep::talk, r.reduction[i]);
        if (!takes_noise(s)) continue;
        if (!before) {
            before = r.taps[i];
            after = r.taps[i];
        }
        for (size_t k = 0; k < after.mean_square.size(); ++k) {
            const float power = r.taps[i].mean_square[k];
            if (power > 0.0f) after.mean_square[k] *= r.taps[i + 1].mean_square[k] / power;
        }
    }
    if (before) f.loss = steps.loss(*before, after);
    return f;
}

}  // namespace

double score(const ChainFigures& f, double target) {
    double out = std::max(0.0, f.noise - kInaudibleNoise);
    if (f.noises) out += 0.5 * std::max(0.0, *f.noises - kInaudibleNoise);
    out +=
        kPerCutWord * static_cast<double>(f.loss.truncated) + kPerCutPiece * static_cast<double>(f.loss.cut);
    out += kPerLoudness * std::max(0.0, std::abs(f.loudness - target) - 0.5);
    out += kPerReduction * std::max({0.0, kReductionFrom - f.reduction, f.reduction - kReductionTo});
    out += 2.0 * std::max(0.0, f.limiting - 0.5);
    return out + kLeastMs * static_cast<double>(f.latency) / 48.0;
}

Result<ChainFigures> measure_chain(const ChainSpec& chain, const StepSound& steps) {
    auto run = run_chain(chain, steps.sound(), steps.sample_rate());
    if (!run.ok()) return run.error();
    return figures_of(chain, run.value(), steps);
}

Result<SoundcheckProposal> propose_chain(const SoundcheckFacts& facts, const StepSound& steps, double target,
                                         int threads, const Progress& progress) {
    const auto report = [&](double done) { return !progress || progress(done); };
    struct Tried {
        BuiltChain built;
        ChainFigures figures;
    };
    // Orders that share their suppression are tried one after the other on one thread.
    const auto orders = stage_orders();
    TrialControl control;
    size_t roles = 0;
    for (const StageOrder& order : orders) roles += order.roles.size();
    const auto try_orders = [&](size_t first, size_t last) -> Result<std::vector<Tried>> {
        SuppressionRuns shared;
        std::vector<Tried> tried;
        for (size_t i = first; i < last && !control.stop; ++i) {
            auto built = build_chain(facts, steps, orders[i], target, shared, control);
            if (!built.ok()) return built.error();
            const ChainFigures figures = figures_of(built.value().chain, built.value().run, steps);
            built.value().run = {};
            tried.push_back({std::move(built.value()), figures});
        }
        return tried;
    };
    SoundcheckProposal out;
    out.target = target;
    std::vector<Tried> all;
    const size_t share = (orders.size() + static_cast<size_t>(std::clamp(threads, 1, 2)) - 1) /
                         static_cast<size_t>(std::clamp(threads, 1, 2));
    std::vector<std::future<Result<std::vector<Tried>>>> running;
    for (size_t from = 0; from < orders.size(); from += share)
        running.push_back(
            std::async(std::launch::async, try_orders, from, std::min(orders.size(), from + share)));
    std::optional<Error> failed;
    for (size_t r = 0; r < running.size(); ++r) {
        while (running[r].wait_for(std::chrono::milliseconds(50)) != std::future_status::ready) {
            if (!report(0.95 * static_cast<double>(control.roles) / static_cast<double>(roles)))
                control.stop = true;
        }
        auto done = running[r].get();
        if (!done.ok()) {
            failed = done.error();
            control.stop = true;
            continue;
        }
        for (Tried& t : done.value()) all.push_back(std::move(t));
    }
    if (failed) return *failed;
    if (control.stop) return cancelled("");
    for (size_t i = 0; i < all.size(); ++i) {
        std::string stages;
        for (const StageSpec& s : all[i].built.chain.stages)
            stages += (stages.empty() ? "" : ", ") + s.shown_title();
        out.orders.push_back({orders[i].id, stages, all[i].figures, score(all[i].figures, target)});
    }
    const auto best = static_cast<size_t>(std::ranges::min_element(out.orders, {}, &OrderFigures::score) -
                                          out.orders.begin());
    out.chain = all[best].built.chain;
    out.lines = all[best].built.lines;
    // Once more as a whole, as it will run.
    const auto whole = measure_chain(out.chain, steps);
    if (!whole.ok()) return whole.error();
    out.figures = whole.value();
    std::ranges::stable_sort(out.orders, {}, &OrderFigures::score);
    return out;
}

Result<ChainSpec> chain_with_lines(const SoundcheckProposal& proposal, const std::vector<bool>& on,
                                   const StepSound& steps) {
    ChainSpec chain = proposal.chain;
    for (size_t i = 0; i < proposal.lines.size(); ++i) {
        const SoundcheckLine& line = proposal.lines[i];
        if (line.stage.empty() || (i < on.size() && on[i])) continue;
        const int at = chain.index_of(line.stage);
        if (at < 0) continue;
        StageSpec& stage = chain.stages[static_cast<size_t>(at)];
        if (line.band >= 0)
            stage.set("band" + std::to_string(line.band + 1) + "_on", 0.0);
        else
            chain.stages.erase(chain.stages.begin() + at);
    }
    // An equalizer without a band that is on does nothing.
    std::erase_if(chain.stages, [](const StageSpec& s) { return s.kind == "equalizer" && bands_on(s) == 0; });
    const int lift = lifting_stage(chain);
    if (lift < 0) return chain;
    const auto at = static_cast<size_t>(lift);
    const auto before =
        run_chain({{chain.stages.begin(), chain.stages.begin() + lift}}, steps.sound(), steps.sample_rate());
    if (!before.ok()) return before.error();
    const auto set = bring_to_loudness(chain, at, before.value().out, steps, proposal.target);
    if (!set.ok()) return set.error();
    return chain;
}

ChainSpec with_line(ChainSpec chain, const SoundcheckProposal& proposal, size_t line) {
    const SoundcheckLine& wanted = proposal.lines.at(line);
    const int from = proposal.chain.index_of(wanted.stage);
    if (wanted.stage.empty() || from < 0) return chain;
    const StageSpec& source = proposal.chain.stages[static_cast<size_t>(from)];
    const auto of_kind = [&chain](std::string_view kind) {
        return std::ranges::find_if(chain.stages, [&](const StageSpec& s) { return s.kind == kind; });
    };
    auto stage = of_kind(source.kind);
    if (stage == chain.stages.end()) {
        if (chain.stages.size() >= kMaxStages) return chain;
        // Behind the nearest of those that are before it in the proposal.
        auto place = chain.stages.begin();
        for (int k = from; k-- > 0;) {
            const auto before = of_kind(proposal.chain.stages[static_cast<size_t>(k)].kind);
            if (before == chain.stages.end()) continue;
            place = before + 1;
            break;
        }
        stage = chain.stages.insert(place, new_stage(chain, source.stage_kind()));
    }
    stage->bypass = false;
    if (!source.taught.empty()) stage->taught = source.taught;
    // Bands of an equalizer are lines of their own.
    if (wanted.band < 0) stage->values = source.values;
    for (const size_t row : wanted.rows) stage->values[row] = source.values[row];
    if (wanted.band >= 0) stage->set("band" + std::to_string(wanted.band + 1) + "_on", 1.0);
    return chain;
}

}  // namespace reed
