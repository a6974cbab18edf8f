// A scene: a named desk of strips, as it is saved and recalled. The file format is described in
// docs/scene-format.md.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "chain/fade.h"
#include "mixer/mixer_spec.h"
#include "scenes/reference_levels.h"

namespace reed {

/// Version 1 was one chain without strips; it is read as a desk of one voice. Version 3 added colour, group,
/// fade and what the scene was made for.
inline constexpr int kSceneVersion = 3;

struct Scene {
    std::string name{};
    std::string note{};  ///< free text: which microphone, which room
    MixerSpec desk{};
    std::optional<int> colour{};                        ///< 0 to kStripColours - 1
    std::string group{};                                ///< a word under which scenes are found together
    double fade = kUsualFade;                           ///< s, 0 to kLongestFade: how long its recall takes
    std::map<std::string, ReferenceLevels> made_for{};  ///< by strip id; those it is known of
    int version = kSceneVersion;  ///< of the file it came from where that is a newer one
    std::string extra{};  ///< fields of a newer version as they came, as the JSON of an object; else empty

    static constexpr double kUsualFade = Fade::scene.seconds;

    /// Of the first strip.
    ChainSpec& chain() { return desk.strips.front().chain; }
    const ChainSpec& chain() const { return desk.strips.front().chain; }
    bool operator==(const Scene&) const = default;
};

/// Longest scene file that is read; a full chain of 32 equalizers stays below half of it.
inline constexpr size_t kMaxSceneBytes = 1'000'000;
inline constexpr const char* kSceneFormat = "dusky-reed-scene";
inline constexpr size_t kMaxSceneName = 80;  ///< characters of a scene's or stage's name

/// What reading a scene came to. Without a scene there is at least one problem; with one there is none.
struct SceneReading {
    std::optional<Scene> scene;
    /// Each says where ("line 7, column 3", "strips[0].stages[2].parameters.ratio", in version 1 without the
    /// strip).
    std::vector<Error> problems;
    std::vector<std::string> remarks;  ///< valid but unwise, e.g. the limiter is not last
    int version = 0;                   ///< of the file's format, where there is a scene
};

/// JSON text of the newest version (of a newer one where the scene came from such a file), indented, with
/// every parameter of every stage and a newline at its end.
std::string write_scene(const Scene& scene);

/// The same to be sent and read by people: a line a stage, only what is not as it was made, and without what
/// stages were taught of a room.
std::string scene_text(Scene scene);

/// Reads and checks; collects everything that is wrong, not just the first. Of a newer version it takes what
/// it knows and keeps the rest.
SceneReading read_scene(std::string_view json);

/// read_scene() on a file's contents; reading failures are problems too. `digest` gets a number that another
/// content does not have, in this run of the program.
SceneReading load_scene(const std::string& path, size_t* digest = nullptr);

/// What is unwise about a chain though it can be run. Peaks of a programme need no limiter of its own.
std::vector<std::string> chain_warnings(const ChainSpec& chain, StripRole role = StripRole::voice);

}  // namespace reed
