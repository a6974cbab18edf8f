// A scene: a named chain, as it is saved and recalled. The file format is described in
// docs/scene-format.md.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "chain/chain_spec.h"

namespace reed {

struct Scene {
    std::string name;
    std::string note;  ///< free text: which microphone, which room
    ChainSpec chain;

    bool operator==(const Scene&) const = default;
};

inline constexpr int kSceneVersion = 1;
/// Longest scene file that is read; a full chain of 32 equalizers stays below half of it.
inline constexpr size_t kMaxSceneBytes = 1'000'000;
inline constexpr size_t kMaxSceneName = 80;  ///< characters of a scene's or stage's name

/// What reading a scene came to. Without a scene there is at least one problem; with one there is none.
struct SceneReading {
    std::optional<Scene> scene;
    std::vector<Error> problems;  ///< each says where ("line 7, column 3" or "stages[2].parameters.ratio")
    std::vector<std::string> remarks;  ///< valid but unwise, e.g. the limiter is not last
};

/// JSON text, indented, with every parameter of every stage and a newline at its end.
std::string write_scene(const Scene& scene);

/// Reads and checks; collects everything that is wrong, not just the first.
SceneReading read_scene(std::string_view json);

/// read_scene() on a file's contents; reading failures are problems too. `digest` gets a number that another
/// content does not have, in this run of the program.
SceneReading load_scene(const std::string& path, size_t* digest = nullptr);

/// What is unwise about a chain though it can be run.
std::vector<std::string> chain_remarks(const ChainSpec& chain);

}  // namespace reed
