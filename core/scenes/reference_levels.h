// What a scene was made for: the levels of the voice and the room it was set by.
#pragma once

#include <map>
#include <string>

namespace reed {

/// Levels at one place of the chain, in dBFS (AES17), rising.
struct VoiceLevels {
    double room = 0.0;   ///< usual level of the room: half of the pauses lie below
    double quiet = 0.0;  ///< quiet words: 10 % of the speech lies below
    double usual = 0.0;  ///< half of the speech lies below
    double loud = 0.0;   ///< loud words: 10 % of the speech lies above

    bool operator==(const VoiceLevels&) const = default;
};

/// Of one strip.
struct ReferenceLevels {
    VoiceLevels in{};                             ///< what came in
    std::map<std::string, VoiceLevels> stages{};  ///< before each stage, by its id
    double loudness = 0.0;                        ///< of the voice as it left the strip, LUFS
    std::string extra{};  ///< of a newer version: fields that are not known here, as the JSON of an object

    bool operator==(const ReferenceLevels&) const = default;
};

}  // namespace reed
