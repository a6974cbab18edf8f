// What a soundcheck measures of a voice, its microphone and its room.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "base/progress.h"
#include "measure/narrow_tones.h"
#include "measure/room_echo.h"
#include "measure/spectrum.h"
#include "measure/speech_level.h"
#include "measure/third_octaves.h"
#include "measure/voice_pitch.h"
#include "soundcheck/steps.h"
#include "suppression/hum.h"

namespace reed {

/// Background noise, from the step of silence.
struct NoiseFacts {
    double level = 0.0;            ///< dBFS
    double a_weighted = 0.0;       ///< dBFS, IEC 61672-1
    double high = 0.0;             ///< dBFS; 5 % of its 50 ms levels lie above
    ThirdOctaveLevels spectrum{};  ///< dBFS
    double rumble = 0.0;           ///< dBFS, below 80 Hz
    std::optional<Hum> hum;
    std::vector<NarrowTone> tones;  ///< that are no mains hum
};

/// Where a voice differs from average speech (Byrne et al. 1994), in dB; positive: more than average.
/// Nothing where the background noise covers the voice.
struct ToneFacts {
    std::optional<double> body;      ///< 160 to 250 Hz
    std::optional<double> boxiness;  ///< 315 to 630 Hz
    std::optional<double> presence;  ///< 2.5 to 5 kHz
    std::optional<double> hiss;      ///< 6.3 to 10 kHz
};

enum class Distance { closer, right, far };

struct SoundcheckFacts {
    double sample_rate = 0.0;
    SpeechLevel speech{};              ///< ITU-T P.56 method B, of the talk
    std::optional<SpeechLevel> quiet;  ///< of the quiet talk
    double peak = 0.0;                 ///< dBFS, highest sample of the talk
    double loud_peak = 0.0;            ///< dBFS, highest sample of all steps
    double crest = 0.0;                ///< dB, peak above the active speech level
    std::int64_t clipped = 0;          ///< samples clipped at the source, all steps
    NoiseFacts noise{};
    double signal_to_noise = 0.0;  ///< dB, active speech level above the noise
    std::optional<PitchRange> pitch;
    ThirdOctaveLevels spectrum{};         ///< of the speech, without the noise, dBFS
    ThirdOctaveLevels against_average{};  ///< dB, see against_average_speech()
    ToneFacts tone{};
    std::optional<double> bandwidth;  ///< Hz, where the voice ends abruptly; nothing if it does not
    std::vector<Resonance> resonances;
    double sibilance = 0.0;            ///< dB, see sibilance()
    double plosives_per_minute = 0.0;  ///< pops of at least kPlosiveDb that the plosives stage would reduce
    std::optional<RoomEcho> echo;
    Distance distance = Distance::right;
    double distance_certainty = 0.0;  ///< 0 to 1
    /// Loudest desk noises (98th percentile of the 50 ms levels, so that three clicks in 6 s count), dBFS, if
    /// that step was recorded.
    std::optional<double> noises;
    /// Quiet speech (10 % of the speech lies below), dBFS, of the quiet step or else of the talk.
    double quiet_speech = 0.0;
    int channels = 1;
    /// With two channels: dB by which left is louder than right, and their correlation, -1 to 1.
    double left_over_right = 0.0, correlation = 1.0;
};

inline constexpr double kPlosiveDb = 6.0;

// From here on something is said and done about it (empirical, by the voices of bench/soundcheck).
inline constexpr double kSharpSibilance = -4.0;   ///< dB against the voice; median of 14 voices -6.5
inline constexpr double kManyPlosives = 15.0;     ///< a minute
inline constexpr double kToneTolerance = 4.0;     ///< dB from average speech
inline constexpr double kResonanceHeight = 10.0;  ///< dB

/// Measures the recordings, of which usable_steps() counts. Returns its error, or one if it was cancelled.
Result<SoundcheckFacts> analyse_steps(const StepRecordings& steps, const Progress& progress = {});

enum class Certainty { likely, sure };

/// One statement about the voice, the microphone or the room.
struct SoundcheckFinding {
    Finding finding;          ///< id, tone, text, quantities
    std::string_view method;  ///< how it was measured, with its source
    Certainty certainty = Certainty::sure;
};

/// The facts as sentences: problems first, then what is right.
std::vector<SoundcheckFinding> soundcheck_findings(const SoundcheckFacts& facts);

/// Inserts `word` at the end of the first sentence, in parentheses: "It is right (likely). Stay there."
std::string qualified(std::string sentences, std::string_view word);

}  // namespace reed
