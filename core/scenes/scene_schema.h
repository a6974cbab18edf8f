// What a scene file may hold, for programs that are not this one.
#pragma once

#include <string>

namespace reed {

/// A JSON Schema (draft 7) of scene files of kSceneVersion, made from the catalogue of stages; indented. It
/// says no more than the reader asks for, but for what no schema can say (ids used twice, strips that listen
/// in a circle).
std::string scene_schema();

}  // namespace reed
