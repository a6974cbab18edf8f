// What the last soundcheck of a strip measured, to be compared with later.
#pragma once

#include <map>
#include <optional>
#include <string>

namespace reed {

struct SoundcheckRecord {
    std::string date{};        ///< ISO 8601, local time
    std::string microphone{};  ///< title of the input
    double noise = 0.0;        ///< background noise, dBFS
    double speech = 0.0;       ///< active speech level of normal talk (ITU-T P.56), dBFS
    /// Lower speech (160 to 400 Hz) above higher speech (1 to 4 kHz), dB; see speech_balance().
    double balance = 0.0;
    std::optional<double> echo{};                ///< decay of the room, s; see room_echo()
    std::map<std::string, std::string> takes{};  ///< file names of the recordings by the id of their step
    std::string extra{};  ///< of a newer version: unknown fields, as a JSON object; otherwise empty

    bool operator==(const SoundcheckRecord&) const = default;
};

}  // namespace reed
