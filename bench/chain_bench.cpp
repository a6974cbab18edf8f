// Nanoseconds per sample and share of one core, per stage and for whole chains, and beside them the
// comparable chain of a general-purpose library in the same run.
#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <random>
#include <string>
#include <vector>

#include "chain/chain.h"
#include "reference_chain.h"

namespace {

using namespace reed;

constexpr int kRate = 48000;
constexpr double kSeconds = 20.0;

/// Something like speech in noise: bursts with pauses.
std::vector<float> material() {
    std::mt19937 random(1);
    std::normal_distribution<float> normal(0.0f, 0.1f);
    std::vector<float> x(static_cast<size_t>(kSeconds * kRate));
    for (size_t i = 0; i < x.size(); ++i) {
        const double t = static_cast<double>(i) / kRate;
        const double envelope = std::fmod(t, 0.7) < 0.45 ? 1.0 : 0.01;
        x[i] = static_cast<float>(envelope * (0.3 * std::sin(2 * 3.14159265 * 170 * t) + normal(random)));
    }
    return x;
}

StageSpec stage(const char* kind, const std::vector<std::pair<const char*, double>>& values = {}) {
    StageSpec out = new_stage({}, *find_stage_kind(kind));
    for (const auto& [id, v] : values) out.set(id, v);
    return out;
}

ChainSpec chain(std::vector<StageSpec> stages) {
    ChainSpec out;
    int n = 0;
    for (auto& s : stages) {
        s.id += std::to_string(n++);
        out.stages.push_back(std::move(s));
    }
    return out;
}

struct Timing {
    double seconds = 0.0;      ///< for the whole material
    double worst_share = 0.0;  ///< 99.99th percentile of the time of a block over its duration
};

Timing time_chain(const ChainSpec& spec, const std::vector<float>& x, int channels, int block) {
    auto built = Chain::build(spec, {static_cast<double>(kRate), channels});
    if (!built.ok()) {
        std::fprintf(stderr, "%s\n", built.error().text().c_str());
        std::exit(1);
    }
    AudioBuffer work(channels, x.size());
    for (int c = 0; c < channels; ++c) work[c] = x;
    std::vector<double> times;
    times.reserve(x.size() / static_cast<size_t>(block));
    Timing out;
    for (size_t at = 0; at + static_cast<size_t>(block) <= x.size(); at += static_cast<size_t>(block)) {
        const auto start = std::chrono::steady_clock::now();
        built.value()->process(work.block(at, block));
        times.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
        out.seconds += times.back();
    }
    std::sort(times.begin(), times.end());
    out.worst_share =
        times[static_cast<size_t>(0.9999 * static_cast<double>(times.size() - 1))] * kRate / block;
    return out;
}

/// Best of three: other work on the machine only ever adds time.
Timing best_of_three(const ChainSpec& spec, const std::vector<float>& x, int channels, int block) {
    Timing best = time_chain(spec, x, channels, block);
    for (int i = 0; i < 2; ++i) {
        const Timing t = time_chain(spec, x, channels, block);
        best.seconds = std::min(best.seconds, t.seconds);
        best.worst_share = std::min(best.worst_share, t.worst_share);
    }
    return best;
}

}  // namespace

int main() {
    const std::vector<float> x = material();
    const std::vector<std::pair<const char*, double>> tone = {
        {"band2_gain", 2}, {"band3_gain", -3}, {"band4_gain", 2}, {"band5_gain", 2}};
    struct Row {
        const char* name;
        ChainSpec spec;
    };
    const ChainSpec plain =
        chain({stage("gate", {{"lookahead", 0}}), stage("equalizer", tone),
               stage("compressor", {{"detection", 0}}), stage("limiter", {{"true_peak", 0}})});
    const ChainSpec extras = chain({stage("gate", {{"lookahead", 3}}), stage("equalizer", tone),
                                    stage("compressor", {{"lookahead", 2}}), stage("limiter")});
    const std::vector<Row> rows = {
        {"nothing (chain alone)", {}},
        {"gain", chain({stage("gain", {{"gain", 3}})})},
        {"suppression, adaptive", chain({stage("suppression")})},
        {"gate", chain({stage("gate")})},
        {"expander", chain({stage("expander")})},
        {"equalizer, 5 bands", chain({stage("equalizer", tone)})},
        {"compressor, RMS", chain({stage("compressor")})},
        {"compressor, peak", chain({stage("compressor", {{"detection", 0}})})},
        {"limiter, sample peak", chain({stage("limiter", {{"true_peak", 0}})})},
        {"limiter, true peak", chain({stage("limiter")})},
        {"chain, extras off", plain},
        {"chain, true peak, look-ahead", extras},
    };
    std::printf("| %-30s | ch | block | ns/sample | %% of a core | worst block |\n", "what");
    std::printf("|---|---|---|---|---|---|\n");
    for (const auto& row : rows) {
        for (const int channels : {1, 2}) {
            for (const int block : {32, 64, 128, 1024}) {
                const Timing t = best_of_three(row.spec, x, channels, block);
                std::printf("| %-30s | %2d | %5d | %9.1f | %10.2f%% | %10.2f%% |\n", row.name, channels,
                            block, 1e9 * t.seconds / static_cast<double>(x.size()),
                            100 * t.seconds / kSeconds, 100 * t.worst_share);
            }
        }
    }
    // High-pass, gate, three bells, shelf, compressor, limiter.
    const char* reference =
        "highpass=f=75,agate=threshold=0.008:range=0.03:attack=5:release=180,equalizer=f=110:t=q:w=0.8:g=2,"
        "equalizer=f=400:t=q:w=1:g=-3,equalizer=f=4000:t=q:w=1:g=2,treble=f=7000:g=2,"
        "acompressor=threshold=0.08:ratio=3:attack=4:release=140:detection=peak,alimiter=limit=0.84:release="
        "60:level=0";
    std::printf(
        "\n| ch | block | reference s | extras off s | ratio | true peak and look-ahead s | ratio |\n");
    std::printf("|---|---|---|---|---|---|---|\n");
    for (const int channels : {1, 2}) {
        for (const int block : {64, 128, 1024}) {
            double theirs = 1e9;
            for (int i = 0; i < 3; ++i) {
                theirs = std::min(theirs, bench::time_reference(reference, x, kRate, channels, block));
            }
            const double ours = best_of_three(plain, x, channels, block).seconds;
            const double ours_extras = best_of_three(extras, x, channels, block).seconds;
            std::printf("| %d | %d | %.3f | %.3f | %.2f | %.3f | %.2f |\n", channels, block, theirs, ours,
                        ours / theirs, ours_extras, ours_extras / theirs);
        }
    }
    return 0;
}
