// How a voice, its microphone and its room have changed since their soundcheck.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "scenes/soundcheck_record.h"
#include "soundcheck/analysis.h"

namespace reed {

/// What later levels are compared with. `takes`: file names of the recordings by the id of their step.
SoundcheckRecord soundcheck_record(const SoundcheckFacts& facts, const std::string& microphone,
                                   std::map<std::string, std::string> takes);

/// Speech of 160 to 400 Hz above that of 1 to 4 kHz, in dB: nearness lifts it, and so does soft talk.
double speech_balance(const ThirdOctaveLevels& speech);

/// Changes since the soundcheck, in dB; positive: more now.
struct SinceSoundcheck {
    double noise = 0.0;
    double speech = 0.0;
    std::optional<double> balance;  ///< of speech_balance(); known where the voice became quieter
    std::optional<double> echo;     ///< decay of the room now, as a multiple of the earlier one; likewise
};

/// Compares recent sound of the same microphone (one channel, full scale +-1, 10 to 30 s with speech and
/// pauses) with the record. `noise`: level in pauses, dBFS. Nothing without at least 2 s of speech.
std::optional<SinceSoundcheck> since_soundcheck(const SoundcheckRecord& record,
                                                const std::vector<float>& sound, double sample_rate,
                                                double noise);

inline constexpr double kSpeechChange = 6.0;  ///< dB by which the level of a voice changed noticeably
inline constexpr double kNoiseChange = 6.0;   ///< dB by which the background noise changed noticeably
inline constexpr double kChangeLeft = 4.0;    ///< dB below which a change that was found is over

/// The change that matters most, as a sentence with its quantity; nothing where none is noticeable. `shown`:
/// id of the one found before, which ends only below kChangeLeft. Ids: farther, gain_changed, noise_louder.
/// Farther from the microphone: the voice is quieter, the noise as loud as it was, and the room's part in the
/// sound has grown or the low end of close talk is gone; soft talk loses its high end instead. Thresholds are
/// empirical (bench/soundcheck distance).
std::optional<Finding> since_finding(const SinceSoundcheck& since, std::string_view shown = {});

}  // namespace reed
