// What a stage can be taught, and what a kind can look for in the sound: as data that only the kind
// understands.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"

namespace reed {

/// What a stage was taught: some figures and one list, whose meaning its kind knows (LearningSpec). A plain
/// value, as scenes keep it.
struct LearnedData {
    std::vector<double> figures;  ///< one for each of LearningSpec::figures
    std::vector<float> list;      ///< empty: nothing was taught

    bool operator==(const LearnedData&) const = default;
    bool empty() const { return list.empty(); }
};

/// What stages of a kind can be taught by listening, and how it stands in a scene.
struct LearningSpec {
    std::string_view id;                        ///< key in scene files: "room_tone"
    std::string_view title;                     ///< "room tone"
    std::span<const std::string_view> figures;  ///< their keys there, in the order of LearnedData::figures
    std::string_view list;                      ///< key of the list
    double parts =
        10.0;  ///< to how many parts of a unit the list is rounded in files, which keeps them short
    double least_seconds = 0.0, usual_seconds = 0.0, most_seconds = 0.0;  ///< of sound to learn from
    /// What is wrong with a memory that was read; nothing when it can be used. Figures and list are there.
    std::optional<std::string> (*problem)(const LearnedData&) = nullptr;
    /// Learns from `sound` (full scale +-1, least_seconds to most_seconds long). Fails with the reason. May
    /// take its time.
    Result<LearnedData> (*learn)(std::span<const float> sound, double sample_rate) = nullptr;
    /// Sets the values with which a stage uses what it was taught.
    void (*use)(std::span<double> values) = nullptr;
    /// Level of what was learnt in dBFS (AES17).
    double (*level)(const LearnedData&) = nullptr;
    std::string_view learnt;  ///< words for when it is: {0} the level
};

}  // namespace reed
