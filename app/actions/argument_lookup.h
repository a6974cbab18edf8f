// Finds the scene, strip, stage or value that an argument names.
#pragma once

#include <QString>

#include "model/app_model.h"
#include "model/strips/parameter_ref.h"

namespace reed::ui {

/// Finds a scene by name or position; returns nullptr if not found.
const SceneEntry* sceneOf(AppModel& s, const QString& word);
QString noScene(AppModel& s, const QString& word);

/// Finds a strip by id, name or position; returns nullptr if not found.
StripModel* stripOf(AppModel& s, const QString& word);
QString noStrip(AppModel& s, const QString& word);

/// A stage by id or position, of the selected strip or of another one ("guest/gate").
struct StageTarget {
    StripModel* strip = nullptr;
    const StageSpec* stage = nullptr;  ///< nullptr if not found
    QString why;                       ///< reason if not found
};

StageTarget stageOf(AppModel& s, const QString& word);

/// The value that "STAGE PARAMETER REST" names, and the rest; or why it was not found. "strip" and
/// "headphones" in place of a stage are the other owners of values (ParameterRef).
struct ParameterTarget {
    ParameterRef value;
    QString rest, why;
};

ParameterTarget parameterOf(AppModel& s, const QString& words);

}  // namespace reed::ui
