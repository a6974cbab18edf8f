#include "soundcheck/since_soundcheck.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "chain/tap.h"
#include "measure/level_statistics.h"
#include "takes/take.h"

namespace reed {
namespace {

constexpr double kSteady = 3.0;  // dB: less is no change of the noise
// Evidence of distance in dB: what the low end lost against the high end, which soft talk loses, and the
// growth of the echo, so many dB for a factor of e.
constexpr double kEchoWeight = 4.0;
constexpr double kFarEvidence = 2.3;
constexpr double kLeastActive = 2.0;  // s of speech

/// Spectrum of the speech without the noise; they are distinguished by their level.
std::optional<ThirdOctaveLevels> speech_spectrum(const std::vector<float>& sound, double sample_rate) {
    const auto frame = static_cast<size_t>(std::lround(kTapFrameSeconds * sample_rate));
    std::vector<float> power;
    for (size_t at = 0; at + frame <= sound.size(); at += frame)
        power.push_back(static_cast<float>(dbfs_to_mean_square(rms_dbfs({&sound[at], frame}))));
    const auto classes = classify_by_level(power, 0.0);
    auto speech = third_octave_levels(sound, sample_rate, mostly(FrameClass::voice, classes, sample_rate));
    const auto noise =
        third_octave_levels(sound, sample_rate, mostly(FrameClass::room, classes, sample_rate));
    // Without a pause of that length there is nothing to take away.
    return speech && noise ? without_noise(*speech, *noise) : speech;
}

}  // namespace

double speech_balance(const ThirdOctaveLevels& speech) {
    return sum_of_bands(speech, third_octave_of(160.0), third_octave_of(400.0)) -
           sum_of_bands(speech, third_octave_of(1000.0), third_octave_of(4000.0));
}

SoundcheckRecord soundcheck_record(const SoundcheckFacts& facts, const std::string& microphone,
                                   std::map<std::string, std::string> takes) {
    SoundcheckRecord out;
    out.date = date_now();
    out.microphone = microphone;
    out.noise = facts.noise.level;
    out.speech = facts.speech.active_dbfs;
    out.balance = speech_balance(facts.spectrum);
    if (facts.echo) out.echo = facts.echo->decay;
    out.takes = std::move(takes);
    return out;
}

std::optional<SinceSoundcheck> since_soundcheck(const SoundcheckRecord& record,
                                                const std::vector<float>& sound, double sample_rate,
                                                double noise) {
    const auto speech = speech_level(sound, sample_rate);
    const double seconds = static_cast<double>(sound.size()) / sample_rate;
    if (!speech || speech->activity * seconds < kLeastActive) return std::nullopt;
    SinceSoundcheck out;
    out.noise = noise - record.noise;
    out.speech = speech->active_dbfs - record.speech;
    if (out.speech > -kChangeLeft) return out;
    if (const auto spectrum = speech_spectrum(sound, sample_rate))
        out.balance = speech_balance(*spectrum) - record.balance;
    const auto echo = room_echo(sound, sample_rate);
    if (echo && record.echo && *record.echo > 0.0) out.echo = echo->decay / *record.echo;
    return out;
}

std::optional<Finding> since_finding(const SinceSoundcheck& since, std::string_view shown) {
    const auto enough = [shown](std::string_view id, double change, double least) {
        return change >= (shown == id ? kChangeLeft : least);
    };
    const auto warning = [](std::string_view id, std::string_view text, double by) {
        return Finding{id, FindingTone::warning, text, {{std::abs(by), Unit::decibel, 0}}, {}};
    };
    const double evidence = kEchoWeight * std::log(since.echo.value_or(1.0)) - since.balance.value_or(0.0);
    if (enough("farther", -since.speech, kSpeechChange) && std::abs(since.noise) < kSteady &&
        evidence > kFarEvidence)
        return warning("farther",
                       "You are farther from the microphone than at the soundcheck: your voice is {0} dB "
                       "quieter, the background noise is unchanged.",
                       since.speech);
    if (enough("gain_changed", std::abs(since.speech), kSpeechChange) &&
        std::abs(since.speech - since.noise) < kSteady)
        return warning("gain_changed",
                       since.speech < 0.0
                           ? "The microphone is {0} dB quieter than at the soundcheck, voice and noise alike."
                           : "The microphone is {0} dB louder than at the soundcheck, voice and noise alike.",
                       since.speech);
    if (enough("noise_louder", since.noise, kNoiseChange))
        return warning("noise_louder", "Background noise is {0} dB louder than at the soundcheck.",
                       since.noise);
    return std::nullopt;
}

}  // namespace reed
