// What a comparison is between.
#pragma once

#include <QString>
#include <optional>
#include <utility>

#include "takes/comparison.h"

namespace reed::ui {

class SceneManager;
class StripModel;

/// What the sound as it is processed now is held against.
struct ComparisonTarget {
    enum class What { plain, without_stage, other_memory, scene, take, taken_away, stage_taken_away };
    What what = What::plain;
    QString name{};  ///< of the scene, or the take's file
};

/// Both sides on a strip; the second is what it is now. Nothing when there is no such stage,
/// memory or scene.
std::optional<std::pair<Side, Side>> makeComparison(const ComparisonTarget& against, const StripModel& strip,
                                                    const SceneManager& scenes);
/// What the other side is called.
QString nameOf(const ComparisonTarget& against);

}  // namespace reed::ui
