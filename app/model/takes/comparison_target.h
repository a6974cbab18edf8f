// The two sides of a comparison.
#pragma once

#include <QString>
#include <optional>
#include <utility>

#include "takes/comparison.h"

namespace reed::ui {

class SceneManager;
class StripModel;

/// What the current processing is compared with.
struct ComparisonTarget {
    enum class What { plain, without_stage, other_memory, scene, take, taken_away, stage_taken_away };
    What what = What::plain;
    QString name{};  ///< name of the scene, or file name of the take
};

/// Both sides on a strip; the second one is the current processing. Empty if the stage, the inactive settings
/// or the scene do not exist.
std::optional<std::pair<Side, Side>> makeComparison(const ComparisonTarget& against, const StripModel& strip,
                                                    const SceneManager& scenes);
/// Name of the other side in the interface.
QString nameOf(const ComparisonTarget& against);

}  // namespace reed::ui
