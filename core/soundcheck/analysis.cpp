#include "soundcheck/analysis.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "chain/chain.h"
#include "measure/file_measure.h"
#include "measure/sibilance.h"
#include "soundcheck/step_sound.h"

namespace reed {
namespace {

constexpr double kRumbleTo = 80.0;       // Hz
constexpr double kCovered = 6.0;         // dB: less above the noise and a band says nothing of the voice
constexpr double kEdge = 20.0;           // dB: no voice falls so fast
constexpr double kReadoutSeconds = 0.1;  // how often a stage's readout is looked at
constexpr double kSettle = 1.5;          // s before a stage knows the voice

double peak_of(const AudioBuffer& sound) {
    float peak = 0.0f;
    for (int c = 0; c < sound.channels(); ++c) {
        for (const float x : sound[c]) peak = std::max(peak, std::abs(x));
    }
    return gain_to_db(static_cast<double>(peak));
}

NoiseFacts noise_facts(const std::vector<float>& x, double rate, const SectionLevels& levels) {
    NoiseFacts out;
    out.level = rms_dbfs(x);
    out.high = levels.noise_high;
    if (const auto spectrum = third_octave_levels(x, rate)) {
        out.spectrum = *spectrum;
        out.a_weighted = a_weighted_level(*spectrum);
        out.rumble = sum_of_bands(*spectrum, 0, third_octave_of(kRumbleTo));
    }
    out.hum = find_hum(x, rate);
    out.tones = narrow_tones(x, rate, out.hum ? &*out.hum : nullptr);
    return out;
}

/// Mean of the bands from `from` to `to` Hz that stand clear of the noise; nothing if half of them don't.
std::optional<double> mean_between(const SoundcheckFacts& facts, double from, double to) {
    const size_t first = third_octave_of(from);
    const size_t last = third_octave_of(to);
    double sum = 0.0;
    size_t known = 0;
    for (size_t k = first; k <= last; ++k) {
        if (facts.spectrum[k] < facts.noise.spectrum[k] + kCovered) continue;
        sum += facts.against_average[k];
        ++known;
    }
    if (2 * known <= last - first) return std::nullopt;
    return sum / static_cast<double>(known);
}

/// Where the voice ends: a fall of 20 dB from one band to the next but one above 2.5 kHz, with nothing beyond
/// that is more than that below it.
std::optional<double> bandwidth_of(const ThirdOctaveLevels& voice, const ThirdOctaveLevels& noise) {
    for (size_t k = third_octave_of(2500.0); k + 2 < third_octave_of(14000.0); ++k) {
        if (voice[k] < noise[k] + kEdge) continue;  // the noise may be what ends it
        double beyond = kSilenceDb;
        for (size_t b = k + 2; b < third_octave_of(16000.0); ++b) beyond = std::max(beyond, voice[b]);
        if (beyond < voice[k] - kEdge) return third_octave_centre(k) * std::pow(10.0, 0.05);
    }
    return std::nullopt;
}

void take_spectrum(SoundcheckFacts& facts, const std::vector<float>& talk, double rate,
                   const std::vector<FrameClass>& classes) {
    auto spectrum = third_octave_levels(talk, rate, mostly(FrameClass::voice, classes, rate));
    if (!spectrum) spectrum = third_octave_levels(talk, rate);
    if (!spectrum) return;
    facts.spectrum = without_noise(*spectrum, facts.noise.spectrum);
    facts.against_average = against_average_speech(facts.spectrum);
    facts.bandwidth = bandwidth_of(facts.spectrum, facts.noise.spectrum);
    std::erase_if(facts.resonances, [&](const Resonance& r) {
        return facts.bandwidth && r.frequency > 0.75 * *facts.bandwidth;
    });
    // Below its pitch a voice has nothing.
    if (!facts.pitch || facts.pitch->median < 230.0) facts.tone.body = mean_between(facts, 160.0, 250.0);
    facts.tone.boxiness = mean_between(facts, 315.0, 630.0);
    facts.tone.presence = mean_between(facts, 2500.0, 5000.0);
    if (!facts.bandwidth || *facts.bandwidth > 11000.0)
        facts.tone.hiss = mean_between(facts, 6300.0, 10000.0);
}

/// Runs one stage with default values over the sound; `note` gets its first readout and its largest
/// reduction every tenth of a second, once it has settled.
void watch(const char* kind, const AudioBuffer& sound, double rate,
           const std::function<void(float readout, float reduction)>& note) {
    const ChainSpec spec{{new_stage({}, *find_stage_kind(kind))}};
    auto built = Chain::build(spec, {rate, sound.channels()});
    if (!built.ok()) return;
    TapQueue queue(1024);
    built.value()->set_tap_queue(&queue);
    AudioBuffer work = sound;
    const auto step = static_cast<size_t>(kReadoutSeconds * rate);
    for (size_t at = 0; at + step <= work.frames(); at += step) {
        built.value()->process(work.block(at, static_cast<int>(step)));
        float reduction = 0.0f;
        for (TapFrame f; queue.try_dequeue(f);) {
            if (f.tap == 1) reduction = std::max(reduction, f.reduction_db);
        }
        if (static_cast<double>(at) < kSettle * rate) continue;
        note(built.value()->readouts(0)[0], reduction);
    }
}

double plosives_in(const AudioBuffer& talk, double rate) {
    size_t count = 0;
    size_t pieces = 0;
    bool inside = false;
    watch("plosives", talk, rate, [&](float, float reduction) {
        const bool pop = static_cast<double>(reduction) >= kPlosiveDb;
        if (pop && !inside) ++count;
        inside = pop;
        ++pieces;
    });
    return pieces == 0 ? 0.0
                       : 60.0 * static_cast<double>(count) / (static_cast<double>(pieces) * kReadoutSeconds);
}

void take_channels(SoundcheckFacts& facts, const AudioBuffer& talk) {
    facts.channels = talk.channels();
    if (talk.channels() < 2) return;
    double ll = 0.0;
    double rr = 0.0;
    double lr = 0.0;
    for (size_t i = 0; i < talk.frames(); ++i) {
        const double l = talk[0][i];
        const double r = talk[1][i];
        ll += l * l;
        rr += r * r;
        lr += l * r;
    }
    const auto frames = static_cast<double>(talk.frames());
    facts.left_over_right = mean_square_to_dbfs(ll / frames) - mean_square_to_dbfs(rr / frames);
    facts.correlation = ll > 0.0 && rr > 0.0 ? lr / std::sqrt(ll * rr) : 0.0;
}

/// Pops and a swollen low end come from close by, echo and noise from afar (common practice, no source);
/// what several of them say together is surer.
void take_distance(SoundcheckFacts& facts) {
    double close = 0.0;
    double far = 0.0;
    if (facts.plosives_per_minute > 12.0) close += 1.0;
    if (facts.tone.body && *facts.tone.body > 7.0) close += 1.0;
    if (facts.echo && facts.echo->amount == EchoAmount::high) far += 1.0;
    if (facts.echo && facts.echo->amount == EchoAmount::medium) far += 0.5;
    if (facts.tone.body && *facts.tone.body < -7.0) far += 0.5;
    if (facts.signal_to_noise < 15.0) far += 0.5;
    if (far >= 1.0 && far > close) {
        facts.distance = Distance::far;
        facts.distance_certainty = std::min(1.0, (far - close) / 2.0);
    } else if (close >= 1.0 && close > far) {
        facts.distance = Distance::closer;
        facts.distance_certainty = std::min(1.0, (close - far) / 2.0);
    } else {
        facts.distance = Distance::right;
        facts.distance_certainty = std::clamp(1.0 - close - far, 0.25, 1.0);
    }
}

}  // namespace

Result<SoundcheckFacts> analyse_steps(const StepRecordings& recorded, const Progress& progress) {
    const auto usable = usable_steps(recorded);
    if (!usable.ok()) return usable.error();
    const StepRecordings& steps = usable.value();
    const double rate = steps.sample_rate;
    auto joined = StepSound::join(steps, part_of(progress, 0.0, 0.4));
    if (!joined.ok()) return joined.error();
    const StepSound& all = joined.value();
    const SectionLevels levels = all.levels(all.input());

    SoundcheckFacts facts;
    facts.sample_rate = rate;
    const AudioBuffer& talk = steps[SoundcheckStep::talk];
    const std::vector<float> spoken = mono_of(talk);
    const auto report = [&](double done) { return !progress || progress(done); };

    facts.noise = noise_facts(mono_of(steps[SoundcheckStep::silence]), rate, levels);
    if (!report(0.5)) return cancelled("");
    facts.speech = speech_level(spoken, rate).value_or(SpeechLevel{});
    if (steps.has(SoundcheckStep::quiet))
        facts.quiet = speech_level(mono_of(steps[SoundcheckStep::quiet]), rate);
    facts.peak = peak_of(talk);
    facts.loud_peak = facts.peak;
    for (const AudioBuffer& sound : steps.sounds) {
        if (sound.frames() == 0) continue;
        facts.loud_peak = std::max(facts.loud_peak, peak_of(sound));
        for (int c = 0; c < sound.channels(); ++c)
            facts.clipped += ClipCounter().add(sound[c].data(), static_cast<int>(sound.frames()));
    }
    facts.crest = facts.peak - facts.speech.active_dbfs;
    facts.signal_to_noise = facts.speech.active_dbfs - facts.noise.level;
    facts.pitch = pitch_range(spoken, rate);
    if (!report(0.6)) return cancelled("");
    ResonanceFinder resonances(rate);
    const auto& classes = all.classes(SoundcheckStep::talk);
    const auto frame = static_cast<size_t>(std::lround(kTapFrameSeconds * rate));
    for (size_t i = 0; i < classes.size() && (i + 1) * frame <= spoken.size(); ++i)
        resonances.add({&spoken[i * frame], frame}, classes[i] == FrameClass::voice);
    facts.resonances = resonances.find();
    take_spectrum(facts, spoken, rate, all.classes(SoundcheckStep::talk));
    if (!report(0.7)) return cancelled("");
    facts.sibilance = sibilance(spoken, rate).value_or(kSilenceDb);
    facts.plosives_per_minute = plosives_in(talk, rate);
    if (!report(0.9)) return cancelled("");
    facts.echo = room_echo(spoken, rate);
    facts.quiet_speech = levels.quiet;
    if (steps.has(SoundcheckStep::noises)) facts.noises = levels.noises;
    take_channels(facts, talk);
    take_distance(facts);
    if (!report(1.0)) return cancelled("");
    return facts;
}

}  // namespace reed
