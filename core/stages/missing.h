// Stands in for a stage that can't be: its kind is not known here, or it could not be made.
#pragma once

#include "stages/stage.h"

namespace reed {

/// What a stage of an unknown kind is taken for: no parameters, the sound passes unchanged, and it says so as
/// its trouble. Its id is empty; it is in no list of kinds.
extern const StageKind kMissingStage;

/// A stage that passes the sound, without delay, and tells `why` as its trouble.
std::unique_ptr<Stage> make_passthrough_stage(std::string why);

}  // namespace reed
