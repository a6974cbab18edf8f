// All kinds of stages there are.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "stages/stage.h"

namespace reed {

/// Every stage kind, in the order in which practitioners usually place them.
std::span<const StageKind* const> stage_kinds();

/// Makes another kind known, from then on the same as ours; it stays for good. Before other threads look: no
/// chain may run and no scene be read meanwhile. Refuses an id that there is already, and what
/// stage_kind_problem() refuses.
Result<void> add_stage_kind(std::shared_ptr<const StageKind> kind);

/// Why a kind can't be used: an id, title or maker that is missing, a parameter twice, a default outside its
/// range, a name of a parameter that it has not. Empty when it can.
std::string stage_kind_problem(const StageKind& kind);

/// The kind with this id, or nullptr.
const StageKind* find_stage_kind(std::string_view id);

/// The table's default values of a kind.
std::vector<double> default_values(const StageKind& kind);

}  // namespace reed
