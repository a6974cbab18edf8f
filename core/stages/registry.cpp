#include "stages/registry.h"

#include "stages/compressor.h"
#include "stages/deesser.h"
#include "stages/doubler.h"
#include "stages/ducking.h"
#include "stages/echo.h"
#include "stages/equalizer.h"
#include "stages/expander.h"
#include "stages/gain.h"
#include "stages/gate.h"
#include "stages/leveller.h"
#include "stages/limiter.h"
#include "stages/multiband.h"
#include "stages/pitch.h"
#include "stages/plosives.h"
#include "stages/reverb.h"
#include "stages/robot.h"
#include "stages/saturation.h"
#include "stages/stereo_balance.h"
#include "stages/suppression.h"
#include "stages/tone.h"
#include "stages/widener.h"

namespace reed {
namespace {
// One line per kind; nothing else needs to know a new stage.
constexpr const StageKind* kKinds[] = {
    &kGainStage,      &kSuppressionStage, &kGateStage,          &kExpanderStage, &kPlosivesStage,
    &kDeesserStage,   &kToneStage,        &kEqualizerStage,     &kLevellerStage, &kCompressorStage,
    &kMultibandStage, &kSaturationStage,  &kStereoBalanceStage, &kWidenerStage,  &kEchoStage,
    &kReverbStage,    &kPitchStage,       &kDoublerStage,       &kRobotStage,    &kDuckingStage,
    &kLimiterStage,
};
}  // namespace

namespace {
struct Known {
    std::vector<const StageKind*> all{std::begin(kKinds), std::end(kKinds)};
    std::vector<std::shared_ptr<const StageKind>> added;
};
Known& known() {
    static Known kinds;
    return kinds;
}

}  // namespace

std::string stage_kind_problem(const StageKind& kind) {
    if (kind.id.empty() || kind.title.empty() || kind.make == nullptr)
        return "needs an id, a title and a factory.";
    for (size_t i = 0; i < kind.parameters.size(); ++i) {
        const Parameter& p = kind.parameters[i];
        if (static_cast<size_t>(kind.find(p.id)) != i) return "has \"" + std::string(p.id) + "\" twice.";
        if (const auto problem = value_problem(p, p.default_value))
            return "has an invalid default: " + *problem;
    }
    // Parameters that it names.
    const auto missing = [&kind](std::string_view row) { return !row.empty() && kind.find(row) < 0; };
    if (kind.lift != StageKind::Lift::none && kind.lift_row.empty())
        return "sets a level (lift), so it needs a lift_row.";
    for (const std::string_view row : {kind.lift_row, kind.slow_row, kind.timing.attack, kind.timing.hold,
                                       kind.timing.release, kind.timing.lookahead}) {
        if (missing(row)) return "has no parameter \"" + std::string(row) + "\".";
    }
    for (const Readout& r : kind.readouts) {
        if (missing(r.beside)) return "has no parameter \"" + std::string(r.beside) + "\".";
    }
    return {};
}

std::span<const StageKind* const> stage_kinds() {
    return known().all;
}

Result<void> add_stage_kind(std::shared_ptr<const StageKind> kind) {
    std::string why = stage_kind_problem(*kind);
    if (why.empty() && find_stage_kind(kind->id) != nullptr) why = "A kind with this id already exists.";
    if (!why.empty()) return Error{why, std::string(kind->id), "Correct the kind; it is not available."};
    known().all.push_back(kind.get());
    known().added.push_back(std::move(kind));
    return {};
}

const StageKind* find_stage_kind(std::string_view id) {
    for (const auto* kind : known().all) {
        if (kind->id == id) return kind;
    }
    return nullptr;
}

std::vector<double> default_values(const StageKind& kind) {
    std::vector<double> out;
    out.reserve(kind.parameters.size());
    for (const auto& p : kind.parameters) out.push_back(p.default_value);
    return out;
}

}  // namespace reed
