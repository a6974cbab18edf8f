// All kinds of stages there are.
#pragma once

#include <memory>
#include <span>
#include <string_view>
#include <vector>

#include "stages/stage.h"

namespace reed {

/// Every stage kind, in the order in which practitioners usually place them.
std::span<const StageKind* const> stage_kinds();

/// Makes another kind known, from then on the same as ours; it stays for good. Before other threads look: no
/// chain may run and no scene be read meanwhile. Refuses a kind without id, title or maker, an id that there
/// is already, and a table with a row twice or a default outside its range.
Result<void> add_stage_kind(std::shared_ptr<const StageKind> kind);

/// The kind with this id, or nullptr.
const StageKind* find_stage_kind(std::string_view id);

/// The table's default values of a kind.
std::vector<double> default_values(const StageKind& kind);

}  // namespace reed
