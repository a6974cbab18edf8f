// Placeholder for a stage of an unknown kind, or one that could not be created.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Kind of all unknown stages: no parameters, audio passes unchanged, and the fault text says so. Its id is
/// empty; it is not in the registry.
extern const StageKind kMissingStage;

/// A stage that passes audio without latency and has the fault text `why`.
std::unique_ptr<Stage> make_passthrough_stage(std::string why);

}  // namespace reed
