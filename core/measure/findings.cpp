#include "measure/findings.h"

#include <algorithm>
#include <cmath>

namespace reed {
namespace {

constexpr double kUsualVoice = -22.0;  // dBFS after the gain
constexpr double kAtTheMark = 1.5;     // LU
constexpr double kFarTooLow = -42.0;   // dBFS, of the peaks

}  // namespace

Finding stage_finding(const ChainSpec& chain, size_t index, const LevelReport& levels) {
    if (index >= chain.stages.size() || levels.taps.size() != chain.stages.size() + 1) return {};
    const StageSpec& s = chain.stages[index];
    if (s.bypass)
        return {"bypassed", FindingTone::neutral, "Bypassed: the signal passes through unchanged.", {}, {}};
    const auto judge = s.stage_kind().finding;
    if (judge == nullptr) return {};
    Finding out =
        judge({s.values, s.taught, levels.taps[index], levels.taps[index + 1], levels.stages[index]});
    // At the end of its range a value can't be turned further: there is nothing to press.
    const auto stands = [&s](const std::pair<size_t, double>& v) { return s.values[v.first] == v.second; };
    if (out.proposal && std::ranges::all_of(out.proposal->values, stands)) out.proposal.reset();
    return out;
}

Finding input_finding(const LevelReport& levels, std::uint64_t clipped) {
    if (clipped > 0) {
        return {"source_clips",
                FindingTone::warning,
                "The input is clipping ({0} samples). Turn the microphone down; clipping can't be repaired "
                "later.",
                {{static_cast<double>(clipped), Unit::count}},
                {}};
    }
    // Half a second at least: a device that starts may begin with zeros.
    if (!levels.taps.empty() && levels.seconds >= 0.5 && levels.taps[0].peak <= kSilentPeak) {
        return {"digital_silence",
                FindingTone::warning,
                "No signal (digital silence). Check the microphone's switch and mute button, or choose "
                "another input.",
                {},
                {}};
    }
    if (levels.taps.empty() || !levels.taps[0].voice_known || levels.seconds < kJudgeAfter)
        return {"no_voice", FindingTone::neutral, "No speech detected yet.", {}, {}};
    const double peak = levels.taps[0].peak;
    if (peak > kHotPeak) {
        return {"too_hot",
                FindingTone::warning,
                "Too loud: peaks reach {0} dBFS, {1} dB above the safe range.",
                {{peak}, {peak - kHotPeak}},
                {}};
    }
    const TapLevels& input = levels.taps[0];
    const double above_noise = input.voice - input.room;
    if (input.room_known && above_noise < kNearNoise) {
        return {"near_noise",
                FindingTone::warning,
                "Speech is only {0} dB above the background noise. Move closer to the microphone.",
                {{above_noise, Unit::decibel, 0}},
                {}};
    }
    if (peak < kLowPeak && levels.taps.back().peak < kOutputPeak) {
        const bool far = peak < kFarTooLow;
        return {far ? "too_low" : "low",
                far ? FindingTone::warning : FindingTone::neutral,
                "Too quiet: peaks reach {0} dBFS, and {1} dBFS after the chain. Turn the microphone up, or "
                "raise the gain.",
                {{peak}, {levels.taps.back().peak}},
                {}};
    }
    return {"level_right", FindingTone::good, "Input level OK: peaks reach {0} dBFS.", {{peak}}, {}};
}

FeedFinding feed_finding(const ChainSpec& chain, const LevelReport& levels, std::optional<double> loudness,
                         double target) {
    if (!loudness || levels.taps.size() != chain.stages.size() + 1 || !levels.taps[0].voice_known) return {};
    const double off = target - *loudness;
    if (std::abs(off) <= kAtTheMark)
        return {{"at_the_mark", FindingTone::good, "Loudness is on target.", {}, {}}, 0};
    const Quantity by{std::abs(off), Unit::decibel, 1};
    FeedFinding out;
    out.finding = off > 0.0 ? Finding{"too_quiet", FindingTone::warning, "{0} LU too quiet.", {by}, {}}
                            : Finding{"too_loud", FindingTone::warning, "{0} LU too loud.", {by}, {}};
    const auto row = [&](size_t stage) {
        const StageKind& kind = chain.stages[stage].stage_kind();
        return static_cast<size_t>(kind.find(kind.lift_row));
    };
    const auto now = [&](size_t stage) { return chain.stages[stage].values[row(stage)]; };
    const auto turn = [&](size_t stage, double wanted) {
        const StageKind& kind = chain.stages[stage].stage_kind();
        Proposal proposal = propose(kind.parameters, row(stage), wanted, {});
        const double more = proposal.values[0].second - now(stage);
        if (std::abs(more) < 0.5) return false;
        const bool trim = kind.lift == StageKind::Lift::trim;
        if (more > 0.0)
            proposal.words = trim ? "Raise gain by {0} dB" : "Raise make-up gain by {0} dB";
        else
            proposal.words = trim ? "Lower gain by {0} dB" : "Lower make-up gain by {0} dB";
        proposal.quantities = {{std::abs(more)}};
        out.finding.proposal = std::move(proposal);
        out.stage = stage;
        return true;
    };
    std::optional<size_t> gain;
    std::optional<size_t> makeup;
    for (size_t i = 0; i < chain.stages.size(); ++i) {
        if (chain.stages[i].bypass) continue;
        const auto lift = chain.stages[i].stage_kind().lift;
        if (lift == StageKind::Lift::trim && !gain) gain = i;
        if (lift == StageKind::Lift::makeup) makeup = i;
    }
    if (off < 0.0) {
        // What was put on last goes first.
        if (makeup && now(*makeup) > 0.0 && turn(*makeup, std::max(0.0, now(*makeup) + off))) return out;
        if (gain) (void)turn(*gain, now(*gain) + off);
        return out;
    }
    const double room = gain ? kUsualVoice - levels.taps[*gain + 1].voice : 0.0;
    if (gain && room >= 1.5 && turn(*gain, now(*gain) + std::min(off, room))) return out;
    if (makeup && turn(*makeup, now(*makeup) + off)) return out;
    if (gain) (void)turn(*gain, now(*gain) + off);
    return out;
}

}  // namespace reed
