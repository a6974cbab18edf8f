#include "stages/registry.h"

#include "stages/compressor.h"
#include "stages/deesser.h"
#include "stages/equalizer.h"
#include "stages/expander.h"
#include "stages/gain.h"
#include "stages/gate.h"
#include "stages/leveller.h"
#include "stages/limiter.h"
#include "stages/plosives.h"
#include "stages/suppression.h"

namespace reed {
namespace {
// One line per kind; nothing else needs to know a new stage.
constexpr const StageKind* kKinds[] = {
    &kGainStage,    &kSuppressionStage, &kGateStage,     &kExpanderStage,   &kPlosivesStage,
    &kDeesserStage, &kEqualizerStage,   &kLevellerStage, &kCompressorStage, &kLimiterStage,
};
}  // namespace

std::span<const StageKind* const> stage_kinds() {
    return kKinds;
}

const StageKind* find_stage_kind(std::string_view id) {
    for (const auto* kind : kKinds) {
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
