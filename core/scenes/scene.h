// A scene: a named set of strips, as it is saved and recalled. The file format is described in
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
#include "scenes/soundcheck_record.h"

namespace reed {

/// Version 1 was one chain without strips, read as a mixer with one voice. Version 3 added colour, group,
/// transition time and reference levels; version 4 the soundcheck of a strip.
inline constexpr int kSceneVersion = 4;

struct Scene {
    std::string name{};
    std::string note{};  ///< free text
    MixerSpec desk{};
    std::optional<int> colour{};                        ///< 0 to kStripColours - 1
    std::string group{};                                ///< group of scenes
    double fade = kUsualFade;                           ///< transition time in s, 0 to kLongestFade
    std::map<std::string, ReferenceLevels> made_for{};  ///< reference levels by strip id, where known
    std::map<std::string, SoundcheckRecord>
        soundchecks{};            ///< last soundcheck by strip id, where there was one
    int version = kSceneVersion;  ///< of the file if it is newer, else kSceneVersion
    std::string extra{};          ///< unknown fields of a newer version, as a JSON object; otherwise empty

    static constexpr double kUsualFade = Fade::scene.seconds;

    /// Chain of the first strip.
    ChainSpec& chain() { return desk.strips.front().chain; }
    const ChainSpec& chain() const { return desk.strips.front().chain; }
    bool operator==(const Scene&) const = default;
};

/// Maximum size of a scene file; a chain of 32 equalizers needs less than half of it.
inline constexpr size_t kMaxSceneBytes = 1'000'000;
inline constexpr const char* kSceneFormat = "dusky-reed-scene";
inline constexpr size_t kMaxSceneName = 80;     ///< code points in the name of a scene or stage
inline constexpr size_t kMaxDeviceTitle = 200;  ///< code points in the title of a microphone

/// Result of reading a scene: a scene, or at least one problem.
struct SceneReading {
    std::optional<Scene> scene;
    /// Each has a position ("line 7, column 3") or path ("strips[0].stages[2].parameters.ratio").
    std::vector<Error> problems;
    std::vector<std::string> remarks;  ///< warnings about a valid scene, e.g. that the limiter is not last
    int version = 0;                   ///< format version of the file, if there is a scene
};

/// Indented JSON of the newest version (or of the newer version it was read from), with all parameters and a
/// final newline.
std::string write_scene(const Scene& scene);

/// A short form for people: one line per stage, only values that differ from the defaults, no learned data.
std::string scene_text(Scene scene);

/// Parses and validates; collects all problems. Of a newer version, unknown fields are preserved.
SceneReading read_scene(std::string_view json);

/// Reads a scene file; failures to read are problems too. `digest` receives a hash of the contents.
SceneReading load_scene(const std::string& path, size_t* digest = nullptr);

/// Warnings about a chain that can run. App audio needs no limiter of its own.
std::vector<std::string> chain_warnings(const ChainSpec& chain, StripRole role = StripRole::voice);

}  // namespace reed
