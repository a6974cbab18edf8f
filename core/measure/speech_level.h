// Active speech level.
#pragma once

#include <optional>
#include <vector>

namespace reed {

struct SpeechLevel {
    double active_dbfs = 0.0;  ///< dBFS (AES17), mean over the time of activity
    double activity = 0.0;     ///< share of the time that is speech, 0 to 1
};

/// ITU-T P.56 (12/2011), method B: envelope of two 30 ms low-passes, hang-over 200 ms, margin 15.9 dB.
/// `x`: one channel, full scale at +-1; `sample_rate` in Hz. Empty for silence or less than 0.2 s.
std::optional<SpeechLevel> speech_level(const std::vector<float>& x, double sample_rate);

}  // namespace reed
