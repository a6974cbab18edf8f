#include "soundcheck/steps.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "chain/tap.h"
#include "measure/file_measure.h"
#include "measure/speech_level.h"
#include "measure/voice_detector.h"

namespace reed {
namespace {

constexpr StepInfo kSteps[] = {
    {"silence", "Silence",
     "Sit as you do while you stream, and don't speak. Let the fan and the computer run.", "", 5.0, 3.0,
     SoundcheckStep::silence, true},
    {"talk", "Normal talk", "Read this aloud, as you speak on stream.",
     "Tonight I split a new tube of cane and show you the gouge. Rain is on the tin roof, so the fen is "
     "loud; "
     "please tell me if it covers my voice. Six reeds are ready to scrape, and each one will sing a little "
     "differently.",
     12.0, 5.0, SoundcheckStep::talk, true},
    {"quiet", "Quiet talk", "Say this as quietly as you ever speak on stream.",
     "The lamp is low and the bench is swept. One more reed, slowly, before I put the knife away.", 7.0, 3.0,
     SoundcheckStep::quiet, false},
    {"loud", "Loud talk", "Call out or laugh, as loud as you get in a good moment.",
     "It plays! First try, top note, clean as a bell!", 5.0, 2.0, SoundcheckStep::loud, false},
    {"desk", "Desk noises", "Don't speak. Type, click, move the mouse and your chair.", "", 6.0, 2.0,
     SoundcheckStep::noises, false},
};

constexpr double kSpeechShareOfSilence = 0.05, kSpeechShareOfNoises = 0.3;  // of the frames
constexpr double kLeastSpeechSeconds = 1.0, kLeastQuietSeconds = 0.3;
constexpr float kSurelySpeech = 0.7f;
constexpr double kNearNoiseDb = 6.0;
constexpr double kNothing = -100.0;    // dBFS; the noise of a converter is louder
constexpr double kClipShare = 0.0002;  // of the samples; a single full-scale peak is no reason to repeat

struct Speech {
    double seconds = 0.0;
    double first = 0.0;  ///< second of the first
    double share = 0.0;
};

/// Frames of 10 ms in which the network detects speech, of those at least `above` dBFS.
Speech speech_in(const std::vector<float>& x, double rate, double above) {
    VoiceDetector detector(rate);
    const auto frame = static_cast<size_t>(std::lround(kTapFrameSeconds * rate));
    Speech out;
    size_t frames = 0;
    for (size_t at = 0; at + frame <= x.size(); at += frame, ++frames) {
        detector.add(&x[at], static_cast<int>(frame));
        double sum = 0.0;
        for (size_t i = at; i < at + frame; ++i) sum += static_cast<double>(x[i]) * x[i];
        const bool speech = detector.at(static_cast<std::int64_t>(at)) > kSurelySpeech &&
                            mean_square_to_dbfs(sum / static_cast<double>(frame)) > above;
        if (!speech || static_cast<double>(frames) * kTapFrameSeconds < 0.25) continue;  // it settles first
        if (out.seconds == 0.0) out.first = static_cast<double>(frames) * kTapFrameSeconds;
        out.seconds += kTapFrameSeconds;
    }
    out.share = out.seconds / std::max(1e-9, static_cast<double>(frames) * kTapFrameSeconds);
    return out;
}

}  // namespace

std::span<const StepInfo> soundcheck_steps() {
    return kSteps;
}

const StepInfo& step_info(SoundcheckStep step) {
    return kSteps[static_cast<size_t>(step)];
}

std::vector<float> mono_of(const AudioBuffer& sound) {
    if (sound.channels() < 2) return sound.channels() == 0 ? std::vector<float>() : sound[0];
    const auto power = [](const std::vector<float>& x) {
        double sum = 0.0;
        for (const float v : x) sum += static_cast<double>(v) * v;
        return sum;
    };
    std::vector<float> mean(sound.frames());
    for (size_t i = 0; i < mean.size(); ++i) mean[i] = 0.5f * (sound[0][i] + sound[1][i]);
    const double left = power(sound[0]);
    const double right = power(sound[1]);
    const double louder = std::max(left, right);
    if (std::min(left, right) > 0.01 * louder && power(mean) > 0.1 * louder) return mean;
    return sound[left >= right ? 0 : 1];
}

std::optional<Finding> step_problem(SoundcheckStep step, const AudioBuffer& sound, double sample_rate,
                                    const AudioBuffer* silence) {
    const StepInfo& info = step_info(step);
    const double seconds = static_cast<double>(sound.frames()) / sample_rate;
    const auto problem = [](std::string_view id, std::string_view words,
                            std::vector<Quantity> quantities = {}) {
        return Finding{id, FindingTone::warning, words, std::move(quantities), {}};
    };
    if (seconds < info.least_seconds - 1e-6)
        return problem("too_short", "Only {0} s were recorded; {1} s are needed.",
                       {{seconds, Unit::none, 1}, {info.least_seconds, Unit::none, 0}});
    const std::vector<float> x = mono_of(sound);
    if (rms_dbfs(x) < kNothing)
        return problem("nothing_heard",
                       "Nothing was heard. Check the microphone's switch and mute button, and that the right "
                       "input is chosen.");
    std::int64_t clipped = 0;
    for (int c = 0; c < sound.channels(); ++c)
        clipped += ClipCounter().add(sound[c].data(), static_cast<int>(sound.frames()));
    if (static_cast<double>(clipped) > kClipShare * static_cast<double>(sound.frames()))
        return problem("clipped",
                       "The microphone clipped ({0} samples). Turn it down at the device or in the system "
                       "settings, then repeat this step.",
                       {{static_cast<double>(clipped), Unit::count}});
    if (step == SoundcheckStep::silence || step == SoundcheckStep::noises) {
        const Speech speech = speech_in(x, sample_rate, rms_dbfs(x) + 3.0);
        // Keys are taken for speech now and then.
        const double most = step == SoundcheckStep::silence ? kSpeechShareOfSilence : kSpeechShareOfNoises;
        if (speech.share > most)
            return problem("speech_in_silence",
                           "Speech was heard after {0} s. Repeat this step without speaking.",
                           {{speech.first, Unit::none, 1}});
        return std::nullopt;
    }
    const double noise =
        silence != nullptr && silence->frames() > 0 ? rms_dbfs(mono_of(*silence)) : kSilenceDb;
    const Speech speech = speech_in(x, sample_rate, noise);
    const auto level = speech_level(x, sample_rate);
    // Laughter and calls are often not detected as speech, and whispers not all of the time.
    const double least = step == SoundcheckStep::talk    ? kLeastSpeechSeconds
                         : step == SoundcheckStep::quiet ? kLeastQuietSeconds
                                                         : 0.0;
    if (speech.seconds < least)
        return problem("no_speech",
                       "No speech was heard. Check that this is the microphone you speak into, then read the "
                       "text aloud.");
    // Quiet talk that the noise covers is a finding, not a bad recording.
    if (step == SoundcheckStep::talk && noise > kSilenceDb && level &&
        level->active_dbfs < noise + kNearNoiseDb)
        return problem("near_noise",
                       "Speech is only {0} dB above the background noise. Move closer to the microphone, or "
                       "turn off what makes the noise.",
                       {{std::max(0.0, level->active_dbfs - noise), Unit::decibel, 0}});
    return std::nullopt;
}

Result<StepRecordings> usable_steps(StepRecordings steps) {
    for (const StepInfo& info : soundcheck_steps()) {
        if (!steps.has(info.step)) {
            if (info.required)
                return Error{"The step “" + std::string(info.title) + "” has no recording.", "",
                             "Record it: a soundcheck needs silence and normal talk."};
            continue;
        }
        const auto problem =
            step_problem(info.step, steps[info.step], steps.sample_rate, &steps[SoundcheckStep::silence]);
        if (!problem) continue;
        if (info.required) return Error{std::string(info.title) + ": " + format_message(*problem), "", ""};
        steps[info.step] = {};
    }
    return steps;
}

}  // namespace reed
