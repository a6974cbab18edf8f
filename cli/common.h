// What the commands share.
#pragma once

#include <iostream>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>

#include "scenes/scene.h"

namespace reed::cli {

using Json = nlohmann::ordered_json;

inline constexpr int kBadInput = 2;

inline int refuse(const Error& error) {
    std::cerr << "dusky-reed-cli: " << error.text() << "\n";
    return kBadInput;
}

/// The scene, or nothing after its problems were printed.
inline std::optional<Scene> scene_or_complain(const std::string& path) {
    SceneReading reading = load_scene(path);
    for (const auto& problem : reading.problems) std::cerr << problem.text(path) << "\n";
    return reading.scene;
}

inline Json optional_number(const std::optional<double>& v) {
    return v ? Json(*v) : Json(nullptr);
}

/// The strip of this id or name, the first one for an empty word; nullptr: there is none.
StripSpec* strip_of(MixerSpec& desk, const std::string& word);
/// The same; prints the error and returns nullptr if there is none.
StripSpec* strip_or_complain(Scene& scene, const std::string& strip);
/// "voice, guest (Guest)".
std::string strips_of(const MixerSpec& desk);

}  // namespace reed::cli
