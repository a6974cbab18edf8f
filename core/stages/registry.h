// All kinds of stages there are.
#pragma once

#include <span>
#include <string_view>
#include <vector>

#include "stages/stage.h"

namespace reed {

/// Every stage kind, in the order in which practitioners usually place them.
std::span<const StageKind* const> stage_kinds();

/// The kind with this id, or nullptr.
const StageKind* find_stage_kind(std::string_view id);

/// The table's default values of a kind.
std::vector<double> default_values(const StageKind& kind);

}  // namespace reed
