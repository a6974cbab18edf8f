#include "editors/stage_body.h"

#include "editors/dynamics_body.h"
#include "editors/equalizer_body.h"
#include "editors/general_body.h"
#include "editors/suppression_body.h"
#include "session/session.h"

namespace reed::ui {

StageBody* StageBody::make(Session& session, QWidget* parent) {
    const StageSpec* s = session.stage(session.focused());
    if (s == nullptr) return nullptr;
    if (s->kind == "equalizer") return new EqualizerBody(session, parent);
    if (s->kind == "suppression") return new SuppressionBody(session, parent);
    if (s->stage_kind().transfer != nullptr) return new DynamicsBody(session, parent);
    return new GeneralBody(session, parent);
}

}  // namespace reed::ui
