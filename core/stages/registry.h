// The registry of stage kinds.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "stages/stage.h"

namespace reed {

/// All stage kinds, in their usual order in a chain.
std::span<const StageKind* const> stage_kinds();

/// Registers another kind permanently. Precondition: no chain runs and no scene is being read. Returns an
/// error for an existing id and for what stage_kind_problem() rejects.
Result<void> add_stage_kind(std::shared_ptr<const StageKind> kind);

/// Validates a kind: missing id, title or factory, duplicate parameter, default outside its range, name of a
/// parameter that does not exist. Empty if valid.
std::string stage_kind_problem(const StageKind& kind);

/// The kind with this id, or nullptr.
const StageKind* find_stage_kind(std::string_view id);

/// Default values of a kind.
std::vector<double> default_values(const StageKind& kind);

}  // namespace reed
