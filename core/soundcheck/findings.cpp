// The facts of a soundcheck as sentences.
#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "soundcheck/analysis.h"

namespace reed {
namespace {

constexpr std::string_view kP56 = "ITU-T P.56 (12/2011), method B";
constexpr std::string_view kPeaks = "Highest sample of the recording";
constexpr std::string_view kNoise = "RMS level of the step of silence (AES17)";
constexpr std::string_view kSpectrum = "Third octaves (IEC 61260-1) against Byrne et al. 1994";

// Common practice, no source, unless another one is named.
constexpr double kHotPeak = -3.0, kWarmPeak = -6.0, kFaintSpeech = -50.0;  // dBFS
constexpr double kPoorDistance = 15.0, kGoodDistance = 30.0;               // dB, speech above noise
constexpr double kRumbleBelow = 30.0;  // dB that rumble lies below speech, at least
constexpr double kToneAudible = 35.0;  // dB that a tone lies below speech, at least
constexpr double kStandsOut = 3.0;     // dB of desk noises above the background
constexpr double kWorthTurning = 3.0;  // dB at the microphone
constexpr double kOneSide = 20.0;      // dB between left and right

class Sentences {
  public:
    void say(FindingTone tone, std::string_view id, std::string_view words, std::string_view method,
             std::vector<Quantity> quantities = {}, Certainty certainty = Certainty::sure) {
        out_.push_back({{id, tone, words, std::move(quantities), {}}, method, certainty});
    }
    std::vector<SoundcheckFinding> sorted() {
        const auto rank = [](const SoundcheckFinding& f) {
            return f.finding.tone == FindingTone::warning   ? 0
                   : f.finding.tone == FindingTone::neutral ? 1
                                                            : 2;
        };
        std::ranges::stable_sort(out_, {}, rank);
        return std::move(out_);
    }

  private:
    std::vector<SoundcheckFinding> out_;
};

void say_level(Sentences& out, const SoundcheckFacts& f) {
    using enum FindingTone;
    const Quantity peak{f.loud_peak, Unit::dbfs, 0};
    if (f.clipped > 0) {
        out.say(warning, "clipped",
                "The microphone clipped ({0} samples). Turn it down: clipping can't be repaired.",
                "Runs of three or more samples at full scale",
                {{static_cast<double>(f.clipped), Unit::count}});
    } else if (f.loud_peak > kHotPeak) {
        out.say(warning, "too_hot",
                "Your loudest peaks reach {0} dBFS. Turn the microphone down by about {1} dB.", kPeaks,
                {peak, {f.loud_peak - kWarmPeak, Unit::decibel, 0}});
    } else if (const double more = std::min(-30.0 - f.speech.active_dbfs, kWarmPeak - f.loud_peak);
               f.speech.active_dbfs < kFaintSpeech && more >= kWorthTurning) {
        out.say(
            warning, "too_quiet",
            "Normal talk is at only {0} dBFS. Turn the microphone up by about {1} dB at the device or in the "
            "system settings.",
            kP56, {{f.speech.active_dbfs, Unit::dbfs, 0}, {more, Unit::decibel, 0}});
    } else {
        out.say(good, "level_right", "The microphone's level is right: peaks reach {0} dBFS.", kPeaks,
                {peak});
    }
    out.say(neutral, "speech_level",
            "Normal talk is at {0} dBFS, {1}% of the time; its peaks are {2} dB above.", kP56,
            {{f.speech.active_dbfs, Unit::dbfs, 1},
             {100.0 * f.speech.activity, Unit::count, 0},
             {f.crest, Unit::decibel, 0}});
}

void say_noise(Sentences& out, const SoundcheckFacts& f) {
    using enum FindingTone;
    out.say(neutral, "noise", "Background noise is at {0} dBFS, A-weighted {1} dBFS.", "RMS; IEC 61672-1",
            {{f.noise.level, Unit::dbfs, 1}, {f.noise.a_weighted, Unit::dbfs, 1}});
    const Quantity snr{f.signal_to_noise, Unit::decibel, 0};
    if (f.signal_to_noise < kPoorDistance)
        out.say(warning, "near_noise",
                "Your voice is only {0} dB above the background noise. Move closer to the microphone, or "
                "turn off what "
                "makes the noise.",
                kNoise, {snr});
    else
        out.say(f.signal_to_noise >= kGoodDistance ? good : neutral, "signal_to_noise",
                "Your voice is {0} dB above the background noise.", kNoise, {snr});
    if (f.noise.hum)
        out.say(warning, "hum", "Mains hum at {0} with {1} tones, {2} dBFS. Check cables and power supplies.",
                "Tones at multiples of 50 or 60 Hz",
                {{f.noise.hum->frequency, Unit::hertz, 1},
                 {static_cast<double>(f.noise.hum->tones), Unit::count, 0},
                 {f.noise.hum->level, Unit::dbfs, 0}});
    for (const NarrowTone& t : f.noise.tones) {
        if (t.level < f.speech.active_dbfs - kToneAudible - 25.0) continue;
        out.say(neutral, "tone", "A steady tone at {0}, {1} dBFS: a fan, a power supply or a screen.",
                "Spectrum of the silence, in both halves of it",
                {{t.frequency, Unit::hertz, 0}, {t.level, Unit::dbfs, 0}});
    }
    const bool is_hum = f.noise.hum && f.noise.hum->level > f.noise.rumble - 3.0;
    if (!is_hum && f.noise.rumble > f.speech.active_dbfs - kRumbleBelow)
        out.say(warning, "rumble", "Rumble below 80 Hz is at {0} dBFS. A low cut removes it.",
                "Third octaves (IEC 61260-1) of the silence", {{f.noise.rumble, Unit::dbfs, 0}});
}

void say_tone(Sentences& out, const SoundcheckFacts& f) {
    using enum FindingTone;
    if (f.pitch)
        out.say(neutral, "pitch", "Your pitch is {0}, from {1} to {2}.",
                "YIN (de Cheveigné and Kawahara 2002), median, 5% and 95%",
                {{f.pitch->median, Unit::hertz, 0},
                 {f.pitch->low, Unit::hertz, 0},
                 {f.pitch->high, Unit::hertz, 0}});
    const auto say = [&](std::string_view id, const std::optional<double>& differs, std::string_view more,
                         std::string_view less) {
        if (!differs || std::abs(*differs) <= kToneTolerance) return;
        out.say(neutral, id, *differs > 0.0 ? more : less, kSpectrum,
                {{std::abs(*differs), Unit::decibel, 0}},
                std::abs(*differs) > 2.0 * kToneTolerance ? Certainty::sure : Certainty::likely);
    };
    say("body", f.tone.body, "Much body: {0} dB more than average speech between 160 and 250 Hz.",
        "Little body: {0} dB less than average speech between 160 and 250 Hz.");
    say("boxiness", f.tone.boxiness, "Boxy: {0} dB more than average speech between 315 and 630 Hz.",
        "Lean: {0} dB less than average speech between 315 and 630 Hz.");
    say("presence", f.tone.presence, "Much presence: {0} dB more than average speech between 2.5 and 5 kHz.",
        "Little presence: {0} dB less than average speech between 2.5 and 5 kHz.");
    say("hiss", f.tone.hiss, "Bright: {0} dB more than average speech above 6 kHz.",
        "Dark: {0} dB less than average speech above 6 kHz.");
    if (f.bandwidth)
        out.say(warning, "band_limited",
                "Nothing of your voice passes above {0}: a wireless headset in call mode, or a filter in the "
                "system.",
                "Third octaves (IEC 61260-1) of the speech", {{*f.bandwidth, Unit::hertz, 0}});
    for (const Resonance& r : f.resonances) {
        if (r.height < kResonanceHeight) continue;
        out.say(neutral, "resonance", "A resonance at {0}, {1} dB above what is around it.",
                "Rise of the speech spectrum that lasts",
                {{r.frequency, Unit::hertz, 0}, {r.height, Unit::decibel, 0}}, Certainty::likely);
    }
    if (f.sibilance >= kSharpSibilance + 1.0)
        out.say(neutral, "sibilance", "Your s sounds are sharp: {0} dB against your voice.",
                "Level above 4 kHz of the sharpest s sounds", {{f.sibilance, Unit::decibel, 0}});
    if (f.plosives_per_minute >= kManyPlosives)
        out.say(warning, "plosives", "{0} pops a minute. Speak past the microphone, or use a pop filter.",
                "Gusts below 50 Hz, as the plosives stage detects them",
                {{f.plosives_per_minute, Unit::count, 0}});
}

void say_room(Sentences& out, const SoundcheckFacts& f) {
    using enum FindingTone;
    if (f.echo) {
        constexpr std::string_view kMethod = "Early decay after the ends of words";
        const Quantity decay{f.echo->decay, Unit::none, 2};
        const auto certainty = f.echo->offsets >= 8 ? Certainty::sure : Certainty::likely;
        if (f.echo->amount == EchoAmount::high)
            out.say(warning, "echo_high",
                    "The room echoes much ({0} s). Move closer, or hang cloth behind you.", kMethod, {decay},
                    certainty);
        else if (f.echo->amount == EchoAmount::medium)
            out.say(neutral, "echo_medium", "The room echoes somewhat ({0} s).", kMethod, {decay}, certainty);
        else
            out.say(good, "echo_low", "The room hardly echoes ({0} s).", kMethod, {decay}, certainty);
    }
    constexpr std::string_view kMethod = "Pops, lows, echo and noise together (common practice, no source)";
    const auto certainty = f.distance_certainty >= 0.75 ? Certainty::sure : Certainty::likely;
    if (f.distance == Distance::far)
        out.say(warning, "far", "You seem far from the microphone. About a hand's width is right.", kMethod,
                {}, certainty);
    else if (f.distance == Distance::closer)
        out.say(neutral, "close", "You seem very close to the microphone.", kMethod, {}, certainty);
    else
        out.say(good, "distance_right", "Your distance from the microphone seems right.", kMethod, {},
                certainty);
    if (f.noises && *f.noises > f.noise.high + kStandsOut) {
        const double under = f.quiet_speech - *f.noises;
        if (under < 6.0)
            out.say(warning, "noises_loud",
                    "Desk noises reach {0} dBFS; your quiet speech is at {1} dBFS. No threshold can separate "
                    "them.",
                    "98% of the 50 ms levels", {{*f.noises, Unit::dbfs, 0}, {f.quiet_speech, Unit::dbfs, 0}});
        else
            out.say(neutral, "noises", "Desk noises reach {0} dBFS, {1} dB below quiet speech.",
                    "98% of the 50 ms levels", {{*f.noises, Unit::dbfs, 0}, {under, Unit::decibel, 0}});
    } else if (f.noises) {
        out.say(good, "noises_low", "Desk noises do not stand out from the background noise.",
                "98% of the 50 ms levels");
    }
    if (f.channels == 2) {
        if (std::abs(f.left_over_right) > kOneSide)
            out.say(warning, "one_side",
                    f.left_over_right > 0.0 ? "The microphone is only on the left channel."
                                            : "The microphone is only on the right channel.",
                    "Levels of both channels");
        else if (f.correlation < -0.5)
            out.say(warning, "out_of_phase", "Left and right cancel each other: one of them is inverted.",
                    "Correlation of both channels");
        else if (f.correlation > 0.99)
            out.say(neutral, "both_channels", "The microphone is on both channels alike.",
                    "Correlation of both channels");
    }
}

}  // namespace

std::vector<SoundcheckFinding> soundcheck_findings(const SoundcheckFacts& facts) {
    Sentences out;
    say_level(out, facts);
    say_noise(out, facts);
    say_tone(out, facts);
    say_room(out, facts);
    return out.sorted();
}

std::string qualified(std::string sentences, std::string_view word) {
    size_t end = 0;
    do end = sentences.find('.', end == 0 ? 0 : end + 1);  // a point in a number ends nothing
    while (end != std::string::npos && end + 1 < sentences.size() && sentences[end + 1] != ' ');
    end = std::min(end, sentences.size());
    if (end > 0 && sentences[end - 1] == ')') return sentences.insert(end - 1, ", " + std::string(word));
    return sentences.insert(end, " (" + std::string(word) + ")");
}

}  // namespace reed
