// What the suppression's network costs: beside the one that wasm2c made, as a share of a core, and the
// slowest blocks of an engine that hands over from chain to chain.
#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <random>
#include <thread>
#include <vector>

#include "engine/engine.h"
#include "neural/network_host.h"
#include "neural/plain_network.h"
#include "stages/registry.h"
#include "stages/suppression.h"
#include "stages/suppression_cost.h"

namespace {

using namespace reed;
using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) {
    return std::chrono::duration<double>(Clock::now() - start).count();
}

/// A voice-like buzz in noise, in bursts.
std::vector<float> sound(double seconds, double rate, std::uint32_t seed) {
    std::mt19937 random(seed);
    std::normal_distribution<float> normal(0.0f, 0.01f);
    std::vector<float> out(static_cast<size_t>(seconds * rate));
    for (size_t i = 0; i < out.size(); ++i) {
        const double t = static_cast<double>(i) / rate;
        const double on = std::fmod(t, 1.0) < 0.5 ? 0.2 : 0.0;
        out[i] = normal(random) + static_cast<float>(on * std::sin(940.0 * t + 3.0 * std::sin(31.0 * t)) *
                                                     (1.0 + std::sin(5600.0 * t)));
    }
    return out;
}

double median(std::vector<double> v) {
    std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
    return v[v.size() / 2];
}

void frames() {
    ReedNetwork* ours = reed_network_new();
    ReedPlainNetwork* plain = reed_plain_network_new();
    if (ours == nullptr || plain == nullptr) std::exit(1);
    const auto x = sound(30.0, 48000.0, 1);
    std::vector<double> a;
    std::vector<double> b;
    float frame[480];
    float out[480];
    float gains[kReedNetworkBands];
    float voice = 0.0f;
    for (size_t at = 0; at + 480 <= x.size(); at += 480) {
        for (size_t i = 0; i < 480; ++i) frame[i] = 32768.0f * x[at + i];
        auto start = Clock::now();
        (void)reed_plain_network_frame(plain, frame, out, &voice);
        a.push_back(seconds_since(start));
        start = Clock::now();
        (void)reed_network_gains(ours, frame, gains, &voice);
        b.push_back(seconds_since(start));
    }
    std::printf("a frame of 10 ms, median: as generated %.0f us, ours %.0f us, ratio %.2f\n", 1e6 * median(a),
                1e6 * median(b), median(b) / median(a));
    reed_network_free(ours);
    reed_plain_network_free(plain);
}

void methods() {
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const auto kind :
             {SuppressionKind::adaptive, SuppressionKind::room_tone, SuppressionKind::neural}) {
            const MethodCost c = measure_method(kind, rate, false);
            const char* names[] = {"adaptive", "neural", "room tone"};
            std::printf("%-10s %6.0f Hz: %5.2f %% of a core, delay %.1f ms\n", names[static_cast<int>(kind)],
                        rate, 100.0 * c.share, c.delay_ms);
        }
    }
}

/// The engine with the neural stage, another chain every second.
void blocks(int frames, int channels) {
    ChainSpec chain;
    StageSpec s = new_stage(chain, kSuppressionStage);
    s.set("method", 1);
    chain.stages.push_back(s);
    ChainSpec other = chain;
    other.stages.push_back(new_stage(other, *find_stage_kind("gain")));
    const auto left = sound(20.0, 48000.0, 2);
    const auto right = sound(20.0, 48000.0, 3);
    Engine engine;
    if (!engine.open({48000.0, channels}, chain).ok()) std::exit(1);
    AudioBuffer work(channels, static_cast<size_t>(frames));
    std::vector<double> took;
    bool flip = false;
    size_t next = 48000;
    for (size_t at = 0; at + static_cast<size_t>(frames) <= left.size(); at += static_cast<size_t>(frames)) {
        if (at >= next) {
            flip = !flip;
            (void)engine.chain().follow(flip ? other : chain);
            while (!engine.chain().settled()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
            next += 48000;
        }
        for (int c = 0; c < channels; ++c)
            std::copy_n((c == 0 ? left : right).begin() + static_cast<std::ptrdiff_t>(at), frames,
                        work[c].begin());
        const auto start = Clock::now();
        engine.process(work.block(0, static_cast<size_t>(frames)));
        took.push_back(seconds_since(start) * 48000.0 / frames);
    }
    std::sort(took.begin(), took.end());
    std::printf("blocks of %4d, %s: median %5.1f %%, 99.9th percentile %5.1f %% of the deadline\n", frames,
                channels == 1 ? "mono  " : "stereo", 100.0 * took[took.size() / 2],
                100.0 * took[took.size() * 999 / 1000]);
}

}  // namespace

int main() {
    frames();
    methods();
    for (const int n : {32, 64, 128}) {
        blocks(n, 1);
        blocks(n, 2);
    }
}
