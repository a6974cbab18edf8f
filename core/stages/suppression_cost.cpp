#include "stages/suppression_cost.h"

#include <algorithm>
#include <ctime>
#include <random>
#include <vector>

#include "stages/registry.h"

namespace reed {
namespace {

double thread_seconds() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

NoiseProfile level_tone() {
    NoiseProfile out;
    out.sample_rate = 48000.0;
    out.band_hz = 50.0;
    out.levels.assign(481, -80.0f);
    return out;
}

}  // namespace

MethodCost measure_method(SuppressionKind kind, double sample_rate, bool short_delay) {
    auto stage = make_suppression(make_voice_network);
    std::vector<double> values = default_values(kSuppressionStage);
    values[static_cast<size_t>(kSuppressionStage.find("method"))] = static_cast<double>(kind);
    values[static_cast<size_t>(kSuppressionStage.find("delay"))] = short_delay ? 1.0 : 0.0;
    stage->teach(memory_of(level_tone()));
    stage->prepare({sample_rate, 1}, values);

    std::mt19937 random(1);
    std::normal_distribution<float> normal(0.0f, 0.01f);
    // After a run-in the quickest of four quarters of a second: what else the machine does only adds.
    const auto part = static_cast<size_t>(0.25 * sample_rate) / kSubBlock * kSubBlock;
    std::vector<float> sound(6 * part);
    for (float& x : sound) x = normal(random);
    double start = 0.0;
    double best = 1e9;
    for (size_t at = 0; at < sound.size(); at += kSubBlock) {
        if (at % part == 0) {
            const double now = thread_seconds();
            if (at > 2 * part) best = std::min(best, now - start);
            start = now;
        }
        AudioBlock block;
        block.channels = 1;
        block.frames = kSubBlock;
        block.rows[0] = &sound[at];
        stage->begin_sub_block();
        stage->process(block);
    }
    MethodCost out;
    out.delay_ms = 1000.0 * stage->latency() / sample_rate;
    out.share = std::min(best, thread_seconds() - start) * sample_rate / static_cast<double>(part);
    return out;
}

}  // namespace reed
