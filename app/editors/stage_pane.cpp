#include "editors/stage_pane.h"

#include <map>

#include "editors/dynamics_pane.h"
#include "editors/equalizer_pane.h"
#include "editors/general_pane.h"
#include "editors/multiband_pane.h"
#include "editors/pitch_pane.h"
#include "editors/suppression_pane.h"
#include "editors/tone_pane.h"
#include "stages/equalizer.h"
#include "stages/multiband.h"
#include "stages/pitch.h"
#include "stages/suppression.h"
#include "stages/tone.h"

namespace reed::ui {
namespace {

template <typename Body>
StagePane* makeBody(StripModel& strip, const StageRef& stage, QWidget* parent) {
    return new Body(strip, stage, parent);
}

/// Kinds that have an editor of their own.
std::map<const StageKind*, StagePane::Maker>& makers() {
    static std::map<const StageKind*, StagePane::Maker> all{
        {&kEqualizerStage, makeBody<EqualizerPane>}, {&kMultibandStage, makeBody<MultibandPane>},
        {&kPitchStage, makeBody<PitchPane>},         {&kSuppressionStage, makeBody<SuppressionPane>},
        {&kToneStage, makeBody<TonePane>},
    };
    return all;
}

}  // namespace

void StagePane::offer(const StageKind& kind, Maker maker) {
    makers()[&kind] = std::move(maker);
}

StagePane* StagePane::make(StripModel& strip, const StageRef& stage, QWidget* parent) {
    const StageSpec* s = stage.spec();
    if (s == nullptr) return nullptr;
    const StageKind& kind = s->stage_kind();
    if (const auto own = makers().find(&kind); own != makers().end())
        return own->second(strip, stage, parent);
    if (kind.transfer != nullptr) return makeBody<DynamicsPane>(strip, stage, parent);
    return makeBody<GeneralPane>(strip, stage, parent);
}

}  // namespace reed::ui
