#include "editors/stage_body.h"

#include <map>

#include "editors/dynamics_body.h"
#include "editors/equalizer_body.h"
#include "editors/general_body.h"
#include "editors/multiband_body.h"
#include "editors/pitch_body.h"
#include "editors/suppression_body.h"
#include "editors/tone_body.h"
#include "stages/equalizer.h"
#include "stages/multiband.h"
#include "stages/pitch.h"
#include "stages/suppression.h"
#include "stages/tone.h"

namespace reed::ui {
namespace {

template <typename Body>
StageBody* makeBody(Session& session, const StageRef& stage, QWidget* parent) {
    return new Body(session, stage, parent);
}

/// Kinds that have an editor of their own.
std::map<const StageKind*, StageBody::Maker>& makers() {
    static std::map<const StageKind*, StageBody::Maker> all{
        {&kEqualizerStage, makeBody<EqualizerBody>}, {&kMultibandStage, makeBody<MultibandBody>},
        {&kPitchStage, makeBody<PitchBody>},         {&kSuppressionStage, makeBody<SuppressionBody>},
        {&kToneStage, makeBody<ToneBody>},
    };
    return all;
}

}  // namespace

void StageBody::offer(const StageKind& kind, Maker maker) {
    makers()[&kind] = std::move(maker);
}

StageBody* StageBody::make(Session& session, const StageRef& stage, QWidget* parent) {
    const StageSpec* s = stage.spec();
    if (s == nullptr) return nullptr;
    const StageKind& kind = s->stage_kind();
    if (const auto own = makers().find(&kind); own != makers().end())
        return own->second(session, stage, parent);
    if (kind.transfer != nullptr) return makeBody<DynamicsBody>(session, stage, parent);
    return makeBody<GeneralBody>(session, stage, parent);
}

}  // namespace reed::ui
