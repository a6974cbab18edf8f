// Learned data of stages, and what kinds can learn and search for.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"

namespace reed {

/// Learned data of a stage: named numbers and a list, whose meaning is defined by its kind (LearningSpec). A
/// plain value, stored in scenes.
struct LearnedData {
    std::vector<double> figures;  ///< one for each of LearningSpec::figures
    std::vector<float> list;      ///< empty: nothing was learned

    bool operator==(const LearnedData&) const = default;
    bool empty() const { return list.empty(); }
};

/// What stages of a kind can learn from audio, and how it is stored in scenes.
struct LearningSpec {
    std::string_view id;                        ///< key in scene files: "room_tone"
    std::string_view title;                     ///< "room tone"
    std::span<const std::string_view> figures;  ///< their keys there, in the order of LearnedData::figures
    std::string_view list;                      ///< key of the list
    double parts = 10.0;                        ///< the list is rounded to 1 / this in files
    double least_seconds = 0.0, usual_seconds = 0.0,
           most_seconds = 0.0;  ///< seconds of audio: minimum, default, maximum
    /// Validates data that was read; empty if it can be used. Precondition: numbers and list are complete.
    std::optional<std::string> (*problem)(const LearnedData&) = nullptr;
    /// Learns from `sound` (full scale +-1, least_seconds to most_seconds long). Returns an error with the
    /// reason. May take long.
    Result<LearnedData> (*learn)(std::span<const float> sound, double sample_rate) = nullptr;
    /// Sets the values with which a stage uses its learned data.
    void (*use)(std::span<double> values) = nullptr;
    /// Level of the learned data in dBFS (AES17).
    double (*level)(const LearnedData&) = nullptr;
    std::string_view learnt;  ///< message after learning; {0}: the level
};

}  // namespace reed
