// What a desk takes beside its strips alone: four voices and a programme, full chains without the network, 48
// kHz, blocks of 128 frames. Share of one core, its ratio, and the slowest of a thousand blocks against the
// deadline.
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <random>

#include "mixer/mixer_render.h"

namespace {

using namespace reed;
using Clock = std::chrono::steady_clock;

constexpr int kBlock = 128;
constexpr double kRate = 48000.0, kSeconds = 20.0;
constexpr int kRounds = 5;

ChainSpec full() {
    ChainSpec out;
    for (const char* kind : {"gain", "suppression", "gate", "equalizer", "compressor", "limiter"})
        out.stages.push_back(new_stage(out, *find_stage_kind(kind)));
    return out;
}

/// Noise in words: half a second on, half a second off.
std::vector<float> talk(std::uint32_t seed) {
    std::mt19937 random(seed);
    std::normal_distribution<float> normal(0.0f, 1.0f);
    std::vector<float> out(static_cast<size_t>(kSeconds * kRate));
    for (size_t i = 0; i < out.size(); ++i)
        out[i] = normal(random) * ((i / 24000 + seed) % 2 == 0 ? 0.08f : 0.001f);
    return out;
}

double share(Clock::duration taken) {
    return 100.0 * std::chrono::duration<double>(taken).count() / kSeconds;
}

}  // namespace

int main() {
    MixerSpec spec;
    spec.strips[0].chain = full();
    for (int i = 0; i < 3; ++i) spec.strips.push_back(new_strip(spec, StripRole::voice, full()));
    ChainSpec programme = full();
    programme.stages.erase(programme.stages.begin() + 1);
    StageSpec ducks = new_stage(programme, *find_stage_kind("ducking"));
    ducks.key = kAllVoices;
    ducks.set("when", 1);
    programme.stages.insert(programme.stages.begin() + 1, ducks);
    spec.strips.push_back(new_strip(spec, StripRole::programme, programme));
    const std::vector<StreamFormat> formats(spec.strips.size(), StreamFormat{kRate, 1});
    std::vector<std::vector<float>> sounds;
    for (std::uint32_t i = 0; i < spec.strips.size(); ++i) sounds.push_back(talk(i));
    const auto blocks = static_cast<size_t>(kSeconds * kRate) / kBlock;

    double alone = 1e9, together = 1e9, slowest = 1e9;
    for (int round = 0; round < kRounds; ++round) {
        // In turn, so that what the machine does besides counts for both.
        Clock::duration sum{};
        for (size_t s = 0; s < spec.strips.size(); ++s) {
            Engine engine;
            if (!engine.open(formats[s], spec.strips[s].chain).ok()) return 1;
            AudioBuffer work(1, sounds[s].size());
            work[0] = sounds[s];
            const auto start = Clock::now();
            for (size_t b = 0; b < blocks; ++b) engine.process(work.block(b * kBlock, kBlock));
            sum += Clock::now() - start;
        }
        alone = std::min(alone, share(sum));

        Mixer desk;
        if (!desk.open({kRate, 1}).ok() ||
            !set_up(desk, spec, formats, std::make_shared<ChainBuilder>()).ok())
            return 1;
        std::vector<AudioBuffer> work;
        for (const auto& s : sounds) {
            work.emplace_back(1, s.size());
            work.back()[0] = s;
        }
        AudioBuffer feed(1, kBlock);
        std::vector<double> times;
        times.reserve(blocks);
        Clock::duration whole{};
        for (size_t b = 0; b < blocks; ++b) {
            AudioBlock in[kMostStrips];
            for (size_t s = 0; s < work.size(); ++s) in[s] = work[s].block(b * kBlock, kBlock);
            const auto start = Clock::now();
            desk.process({in, work.size()}, feed.block(0, kBlock));
            const auto took = Clock::now() - start;
            whole += took;
            times.push_back(std::chrono::duration<double>(took).count());
        }
        together = std::min(together, share(whole));
        const auto at =
            times.begin() + static_cast<std::ptrdiff_t>(0.999 * static_cast<double>(times.size()));
        std::nth_element(times.begin(), at, times.end());
        slowest = std::min(slowest, 100.0 * *at / (kBlock / kRate));
    }
    std::printf("five strips alone  %6.2f %% of a core\n", alone);
    std::printf("as a desk          %6.2f %% of a core   ratio %.2f\n", together, together / alone);
    std::printf("99.9th percentile of a block: %.1f %% of its time\n", slowest);
}
