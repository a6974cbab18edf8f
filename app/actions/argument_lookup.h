// What is meant by a word from outside: a scene, a strip, a stage, a value.
#pragma once

#include <QString>

#include "model/app_model.h"
#include "model/strips/parameter_ref.h"

namespace reed::ui {

/// A scene by its name, or by its place in the list; nullptr: there is none.
const SceneEntry* sceneOf(AppModel& s, const QString& word);
QString noScene(AppModel& s, const QString& word);

/// A strip by its id, its name, or its place on the rail; nullptr: there is none.
StripModel* stripOf(AppModel& s, const QString& word);
QString noStrip(AppModel& s, const QString& word);

/// A stage by its id, or by its place in the chain: of the strip in work, or of another one ("guest/gate").
struct StageTarget {
    StripModel* strip = nullptr;
    const StageSpec* stage = nullptr;  ///< nullptr: there is none
    QString why;                       ///< not
};

StageTarget stageOf(AppModel& s, const QString& word);

/// "STAGE PARAMETER REST": a value and the rest; or why there is no such value. "strip" and "headphones"
/// stand for the values that are no stage's (ParameterRef).
struct ParameterTarget {
    ParameterRef value;
    QString rest, why;
};

ParameterTarget parameterOf(AppModel& s, const QString& words);

}  // namespace reed::ui
