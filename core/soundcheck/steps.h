// The steps of a soundcheck: what is recorded, and whether a recording can be used.
#pragma once

#include <algorithm>
#include <array>
#include <optional>
#include <span>
#include <string_view>
#include <vector>

#include "base/audio_block.h"
#include "base/result.h"
#include "stages/finding.h"

namespace reed {

enum class SoundcheckStep { silence, talk, quiet, loud, noises };
inline constexpr size_t kSoundcheckSteps = 5;

/// What the user is asked to do. The texts are translatable English.
struct StepInfo {
    std::string_view id;           ///< "silence"; also the option of the command line
    std::string_view title;        ///< "Silence"
    std::string_view instruction;  ///< one sentence or two
    std::string_view text;         ///< to be read aloud; empty: nothing is read
    double seconds = 0.0;          ///< recorded by the window
    double least_seconds = 0.0;    ///< shorter recordings are refused
    SoundcheckStep step = SoundcheckStep::silence;
    bool required = false;
};
/// In the order of SoundcheckStep.
std::span<const StepInfo> soundcheck_steps();
const StepInfo& step_info(SoundcheckStep step);

/// At most this much of a recording is used.
inline constexpr double kMaxStepSeconds = 30.0;

/// Recordings of one soundcheck: one microphone, one format. A step without frames was skipped.
struct StepRecordings {
    double sample_rate = 48000.0;
    std::array<AudioBuffer, kSoundcheckSteps> sounds;

    AudioBuffer& operator[](SoundcheckStep step) { return sounds[static_cast<size_t>(step)]; }
    const AudioBuffer& operator[](SoundcheckStep step) const { return sounds[static_cast<size_t>(step)]; }
    bool has(SoundcheckStep step) const { return (*this)[step].frames() > 0; }
    /// Whether any step is recorded.
    bool any() const {
        return std::ranges::any_of(sounds, [](const AudioBuffer& b) { return b.frames() > 0; });
    }
};

/// The voice in one channel: the mean of both, or the louder one where the other is 20 dB quieter or both
/// cancel each other.
std::vector<float> mono_of(const AudioBuffer& sound);

/// Why the recording of a step can't be used, as a finding (id, text, quantities); nothing if it can.
/// `silence`: the recording of that step, if there is one, for the distance of speech from the background
/// noise. Ids: too_short, nothing_heard, clipped, speech_in_silence, no_speech, near_noise.
std::optional<Finding> step_problem(SoundcheckStep step, const AudioBuffer& sound, double sample_rate,
                                    const AudioBuffer* silence = nullptr);

/// The recordings without the steps that can't be used. Returns an error if one of those is required, or if
/// a required one is missing.
Result<StepRecordings> usable_steps(StepRecordings steps);

}  // namespace reed
