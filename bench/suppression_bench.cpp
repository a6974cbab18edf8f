// What each method of suppression takes out, what it does to the voice, and what it costs.
//
// Voices come as WAV files (48 kHz, mono) named on the command line; noises are made here. For every noise
// and SNR (active speech level against RMS of the noise): noise in the pauses, SI-SDR gain, STOI before and
// after, change of level of the voice. Then the hard cases, then speed and delay.
#include <speex/speex_preprocess.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <map>
#include <string>

#include "base/decibel.h"
#include "base/sound_file.h"
#include "chain/chain.h"
#include "engine/render.h"
#include "measure/intelligibility.h"
#include "measure/level_statistics.h"
#include "measure/speech_level.h"
#include "stages/suppression.h"
#include "support/noises.h"

namespace {

using namespace reed;
using Sound = std::vector<float>;

constexpr double kRate = 48000.0;
constexpr double kLead = 6.0;  // seconds of noise before the voice: time to learn

struct Way {
    const char* name;
    double method, delay, amount;
};
constexpr double kLibrary = -1;  // SpeexDSP's preprocessor, for comparison with the adaptive method
constexpr Way kWays[] = {{"library -25", kLibrary, 0, -25}, {"adaptive -25", 0, 0, -25},
                         {"adaptive -25 short", 0, 1, -25}, {"neural -40", 1, 0, -40},
                         {"room tone -25", 2, 0, -25},      {"room tone -25 short", 2, 1, -25}};

ChainSpec chain_of(const Way& way, const NoiseProfile& tone) {
    ChainSpec out;
    StageSpec s = new_stage(out, kSuppressionStage);
    s.set("method", way.method);
    s.set("delay", way.delay);
    s.set("amount", way.amount);
    if (way.method == 2) s.taught = memory_of(tone);
    out.stages.push_back(s);
    return out;
}

/// Frames of 10 ms; its delay of one frame is taken out.
Sound through_library(const Sound& x, double amount) {
    constexpr int kFrame = 480;
    SpeexPreprocessState* state = speex_preprocess_state_init(kFrame, static_cast<int>(kRate));
    int on = 1;
    int db = static_cast<int>(amount);
    speex_preprocess_ctl(state, SPEEX_PREPROCESS_SET_DENOISE, &on);
    speex_preprocess_ctl(state, SPEEX_PREPROCESS_SET_NOISE_SUPPRESS, &db);
    std::vector<spx_int16_t> frame(kFrame);
    Sound out;
    for (size_t at = 0; at < x.size() + kFrame; at += kFrame) {
        for (size_t i = 0; i < frame.size(); ++i) {
            const float v = at + i < x.size() ? x[at + i] * 32768.0f : 0.0f;
            frame[i] = static_cast<spx_int16_t>(std::lrint(std::min(32767.0f, std::max(-32768.0f, v))));
        }
        speex_preprocess_run(state, frame.data());
        for (const auto v : frame) out.push_back(static_cast<float>(v) / 32768.0f);
    }
    speex_preprocess_state_destroy(state);
    out.erase(out.begin(), out.begin() + kFrame);
    out.resize(x.size());
    return out;
}

Sound through_chain(const ChainSpec& chain, const Sound& x) {
    AudioBuffer in(1, x.size());
    in[0] = x;
    auto out = render(chain, in, kRate, 480);
    if (!out.ok()) {
        std::fprintf(stderr, "%s\n", out.error().text().c_str());
        std::exit(1);
    }
    return out.value()[0];
}

Sound through(const Way& way, const NoiseProfile& tone, const Sound& x) {
    return way.method == kLibrary ? through_library(x, way.amount) : through_chain(chain_of(way, tone), x);
}

double level(const Sound& x, const std::vector<FrameClass>& classes, FrameClass which) {
    double sum = 0.0;
    size_t count = 0;
    for (size_t f = 0; f < classes.size(); ++f) {
        if (classes[f] != which) continue;
        for (size_t i = f * 480; i < (f + 1) * 480; ++i) sum += static_cast<double>(x[i]) * x[i];
        count += 480;
    }
    return mean_square_to_dbfs(sum / std::max<size_t>(count, 1));
}

std::vector<FrameClass> classes_of(const Sound& clean) {
    std::vector<float> frames;
    for (size_t f = 0; (f + 1) * 480 <= clean.size(); ++f) {
        double sum = 0.0;
        for (size_t i = f * 480; i < (f + 1) * 480; ++i) sum += static_cast<double>(clean[i]) * clean[i];
        frames.push_back(static_cast<float>(sum / 480));
    }
    return classify_by_level(frames, 0.0);
}

/// dB by which the part of `y` that follows `s` differs from it.
double voice_change(const Sound& s, const Sound& y) {
    double cross = 0.0;
    double power = 0.0;
    for (size_t i = 0; i < s.size(); ++i) {
        cross += static_cast<double>(s[i]) * y[i];
        power += static_cast<double>(s[i]) * s[i];
    }
    return 20.0 * std::log10(std::max(1e-6, cross / power));
}

struct Scores {
    double pauses = 0, sdr = 0, stoi_before = 0, stoi_after = 0, voice = 0;
    int count = 0;
};

void score(Scores& out, const Way& way, const Sound& voice, test::Noise which, double snr,
           std::uint32_t seed) {
    const auto lead = static_cast<size_t>(kLead * kRate);
    const Sound noise = test::make_noise(which, kLead + static_cast<double>(voice.size()) / kRate, seed);
    const auto loud = speech_level(voice, kRate);
    // RMS 1 is +3.01 dBFS (AES17).
    const double gain = std::pow(10.0, (loud->active_dbfs - snr - 3.0103) / 20.0);
    Sound clean(noise.size(), 0.0f);
    std::copy(voice.begin(), voice.end(), clean.begin() + static_cast<std::ptrdiff_t>(lead));
    Sound mixed = clean;
    for (size_t i = 0; i < mixed.size(); ++i) mixed[i] += static_cast<float>(gain * noise[i]);
    NoiseProfile tone;
    if (way.method == 2) {
        auto learnt = learn_noise_profile(std::span(mixed).subspan(48000, 4 * 48000), kRate);
        if (!learnt.ok()) {
            std::printf("%-20s %-9s not learnt: %s\n", way.name, noise_name(which),
                        learnt.error().what.c_str());
            return;
        }
        tone = learnt.value();
    }
    const Sound done = through(way, tone, mixed);
    const auto part = [lead](const Sound& x) {
        return Sound(x.begin() + static_cast<std::ptrdiff_t>(lead), x.end());
    };
    const Sound s = part(clean);
    const Sound m = part(mixed);
    const Sound y = part(done);
    const auto classes = classes_of(s);
    out.pauses += level(y, classes, FrameClass::room) - level(m, classes, FrameClass::room);
    out.sdr += si_sdr(s, y).value_or(0) - si_sdr(s, m).value_or(0);
    out.stoi_before += stoi(s, m, kRate).value_or(0);
    out.stoi_after += stoi(s, y, kRate).value_or(0);
    out.voice += voice_change(s, y);
    ++out.count;
}

void quality(const std::vector<Sound>& voices, bool quick) {
    std::printf("%-20s %-9s %5s %12s %12s %12s %11s %10s\n", "method", "noise", "SNR", "pauses dB",
                "SI-SDR gain", "STOI before", "after", "voice dB");
    for (const Way& way : kWays) {
        for (const test::Noise noise : test::kNoises) {
            for (const double snr : {0.0, 5.0, 10.0, 20.0}) {
                if (quick && snr != 10.0) continue;
                Scores s;
                std::uint32_t seed = 1;
                for (const Sound& v : voices) score(s, way, v, noise, snr, seed++);
                if (s.count == 0) continue;
                const double n = s.count;
                std::printf("%-20s %-9s %5.0f %12.1f %12.1f %12.3f %11.3f %10.1f\n", way.name,
                            noise_name(noise), snr, s.pauses / n, s.sdr / n, s.stoi_before / n,
                            s.stoi_after / n, s.voice / n);
                std::fflush(stdout);
            }
        }
    }
}

/// Level changes where suppression is known to fail.
void hard_cases(const std::vector<Sound>& voices) {
    std::printf("\n%-20s %18s %18s %18s %18s\n", "method", "clean speech dB", "shout -3 dBFS dB",
                "after 60 s dB", "key clicks dB");
    for (const Way& way : kWays) {
        const Sound room = test::make_noise(test::Noise::fan, 70.0, 9);
        const auto quiet = [&](double seconds) {
            Sound out(room.begin(), room.begin() + static_cast<std::ptrdiff_t>(seconds * kRate));
            for (float& x : out) x *= 0.0005f;  // -63 dBFS
            return out;
        };
        NoiseProfile tone;
        if (way.method == 2) tone = learn_noise_profile(quiet(5), kRate).value();
        double clean = 0.0;
        double shout = 0.0;
        double late = 0.0;
        double late_worst = 0.0;
        for (const Sound& v : voices) {
            clean += voice_change(v, through(way, tone, v));
            float peak = 0.0f;
            for (const float x : v) peak = std::max(peak, std::abs(x));
            Sound loud = quiet(3);
            const size_t from = loud.size();
            for (const float x : v) loud.push_back(x * 0.7079f / peak);
            const Sound after = through(way, tone, loud);
            shout += voice_change({loud.begin() + static_cast<std::ptrdiff_t>(from), loud.end()},
                                  {after.begin() + static_cast<std::ptrdiff_t>(from), after.end()});
            Sound waited = quiet(60);
            const size_t start = waited.size();
            waited.insert(waited.end(), v.begin(),
                          v.begin() + static_cast<std::ptrdiff_t>(std::min<size_t>(v.size(), 96000)));
            const Sound heard = through(way, tone, waited);
            const double change =
                voice_change({waited.begin() + static_cast<std::ptrdiff_t>(start), waited.end()},
                             {heard.begin() + static_cast<std::ptrdiff_t>(start), heard.end()});
            late += change;
            late_worst = std::min(late_worst, change);
        }
        const double n = static_cast<double>(voices.size());
        Sound clicks = test::make_noise(test::Noise::keyboard, 20.0, 5);
        for (float& x : clicks) x *= 0.02f;
        const Sound left = through(way, tone, clicks);
        double before = 0.0;
        double rest = 0.0;
        for (size_t i = 48000; i < clicks.size(); ++i) {
            before += static_cast<double>(clicks[i]) * clicks[i];
            rest += static_cast<double>(left[i]) * left[i];
        }
        std::printf("%-20s %18.2f %18.2f %9.2f (%6.2f) %18.1f\n", way.name, clean / n, shout / n, late / n,
                    late_worst, 10.0 * std::log10(rest / before));
    }
}

void cost(const Sound& voice) {
    std::printf("\n%-20s %10s %14s %26s\n", "method", "delay ms", "share of core",
                "longest block of deadline");
    Sound x = test::make_noise(test::Noise::fan, 20.0, 3);
    for (size_t i = 0; i < x.size(); ++i) x[i] = 0.01f * x[i] + voice[i % voice.size()];
    const NoiseProfile tone =
        learn_noise_profile(Sound(test::make_noise(test::Noise::fan, 4.0, 4)), kRate).value();
    for (const Way& way : kWays) {
        if (way.method == kLibrary) {
            const auto start = std::chrono::steady_clock::now();
            (void)through_library(x, way.amount);
            const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
            std::printf("%-20s %10.1f %12.2f %% %26s\n", way.name, 20.0,
                        100.0 * took.count() / (static_cast<double>(x.size()) / kRate), "in frames");
            continue;
        }
        double best = 1e9;
        double longest = 1e9;
        int latency = 0;
        for (int round = 0; round < 3; ++round) {
            auto chain = std::move(Chain::build(chain_of(way, tone), {kRate, 1}).value());
            latency = chain->latency();
            AudioBuffer work(1, x.size());
            work[0] = x;
            double all = 0.0;
            std::vector<double> blocks;
            for (size_t at = 0; at + 128 <= x.size(); at += 128) {
                const auto start = std::chrono::steady_clock::now();
                chain->process(work.block(at, 128));
                blocks.push_back(
                    std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
                all += blocks.back();
            }
            // The machine's own interruptions hit a few blocks of some rounds; the method's cost hits all
            // rounds.
            std::sort(blocks.begin(), blocks.end());
            best = std::min(best, all);
            longest = std::min(longest, blocks[blocks.size() * 999 / 1000]);
        }
        std::printf("%-20s %10.1f %12.2f %% %24.1f %%\n", way.name, 1000.0 * latency / kRate,
                    100.0 * best / (static_cast<double>(x.size()) / kRate), 100.0 * longest * kRate / 128.0);
    }
}

}  // namespace

int main(int argc, char** argv) {
    bool quick = false;
    std::vector<Sound> voices;
    for (int i = 1; i < argc; ++i) {
        if (std::strcmp(argv[i], "--quick") == 0) {
            quick = true;
            continue;
        }
        auto sound = read_sound(argv[i]);
        if (!sound.ok()) {
            std::fprintf(stderr, "%s\n", sound.error().text().c_str());
            return 1;
        }
        voices.push_back(sound.value()[0]);
    }
    if (voices.empty()) {
        std::fprintf(stderr, "usage: reed_suppression_bench [--quick] VOICE.wav ...\n");
        return 2;
    }
    quality(voices, quick);
    hard_cases(voices);
    cost(voices.front());
}
