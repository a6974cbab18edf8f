// Thousands of random chains and hostile signals (fixed seeds): what must hold for every one of them.
#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/decibel.h"
#include "chain/chain.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

using Random = std::mt19937;

StageSpec random_stage(Random& random, const ChainSpec& chain) {
    const auto kinds = stage_kinds();
    StageSpec s = new_stage(chain, *kinds[random() % kinds.size()]);
    std::uniform_real_distribution<double> position(0.0, 1.0);
    const auto& table = s.stage_kind().parameters;
    for (size_t i = 0; i < table.size(); ++i) {
        // A third at an end of the range, where things break.
        const auto dice = random() % 6;
        s.values[i] = position_to_value(table[i], dice == 0 ? 0.0 : (dice == 1 ? 1.0 : position(random)));
    }
    s.bypass = random() % 8 == 0;
    return s;
}

std::vector<float> random_signal(Random& random, size_t frames) {
    std::vector<float> x(frames);
    std::normal_distribution<float> normal(0.0f, 0.3f);
    const auto kind = random() % 6;
    for (size_t i = 0; i < frames; ++i) {
        switch (kind) {
            case 0:
                x[i] = normal(random);
                break;
            case 1:
                x[i] = i % 97 < 48 ? 1.0f : -1.0f;
                break;
            case 2:
                x[i] = i % 500 == 0 ? 20.0f : 0.0f;
                break;
            case 3:
                x[i] = 1e-39f * normal(random);
                break;  // denormal
            case 4:
                x[i] = 0.7f;
                break;
            default:
                x[i] = std::sin(0.0001f * static_cast<float>(i) * static_cast<float>(i % 3000));
                break;
        }
    }
    return x;
}

#ifdef REED_SANITIZED
constexpr int kChains = 600;  // every kind and parameter comes up all the same
#else
constexpr int kChains = 1200;
#endif

}  // namespace

TEST_CASE("every random chain gives finite sound, the same for any block size, and recovers",
          "[reference][property]") {
    Random random(2026);
    for (int round = 0; round < kChains; ++round) {
        ChainSpec spec;
        for (size_t n = 1 + random() % 4; n > 0; --n) spec.stages.push_back(random_stage(random, spec));
        const double rates[] = {44100, 48000, 96000, 192000};
        const StreamFormat format{rates[random() % 4], 1 + static_cast<int>(random() % 2)};
        auto a = Chain::build(spec, format);
        auto b = Chain::build(spec, format);
        REQUIRE(a.ok());
        AudioBuffer one(format.channels, 6000);
        for (int c = 0; c < format.channels; ++c) one[c] = random_signal(random, 6000);
        AudioBuffer two = one;
        a.value()->process(one.block(0, 6000));
        for (size_t done = 0; done < 6000;) {
            const auto n = std::min<size_t>(1 + random() % 700, 6000 - done);
            b.value()->process(two.block(done, static_cast<int>(n)));
            done += n;
        }
        std::string names;
        for (const auto& s : spec.stages) names += s.kind + " ";
        INFO("round " << round << ": " << names);
        for (int c = 0; c < format.channels; ++c) {
            bool finite = true;
            for (const float x : one[c]) finite = finite && std::isfinite(x);
            REQUIRE(finite);
            // Denormal numbers come or go with the block they are in.
            const auto same = [](float x, float y) {
                return x == y || (std::fpclassify(x) != FP_NORMAL && std::fpclassify(y) != FP_NORMAL);
            };
            const auto [x, y] = std::mismatch(one[c].begin(), one[c].end(), two[c].begin(), same);
            if (x != one[c].end()) FAIL("frame " << x - one[c].begin() << ": " << *x << " and " << *y);
        }
    }
}

TEST_CASE("a limiter at the end keeps its ceiling in every random chain", "[reference][property]") {
    Random random(77);
    for (int round = 0; round < 600; ++round) {
        ChainSpec spec;
        for (size_t n = random() % 3; n > 0; --n) spec.stages.push_back(random_stage(random, spec));
        StageSpec limiter = new_stage(spec, *find_stage_kind("limiter"));
        for (size_t i = 0; i < limiter.values.size(); ++i) {
            limiter.values[i] = position_to_value(limiter.stage_kind().parameters[i],
                                                  static_cast<double>(random() % 1001) / 1000.0);
        }
        spec.stages.push_back(limiter);
        auto chain = Chain::build(spec, {48000, 1});
        REQUIRE(chain.ok());
        AudioBuffer work = mono(random_signal(random, 5000));
        chain.value()->process(work.block(0, 5000));
        REQUIRE(peak(work[0]) <= static_cast<float>(db_to_gain(limiter.value("ceiling"))));
    }
}

TEST_CASE("random moves of every parameter while it sounds break nothing", "[reference][property]") {
    Random random(5);
    for (int round = 0; round < 150; ++round) {
        ChainSpec spec;
        for (size_t n = 1 + random() % 3; n > 0; --n) spec.stages.push_back(random_stage(random, spec));
        auto chain = Chain::build(spec, {48000, 1});
        REQUIRE(chain.ok());
        for (int step = 0; step < 20; ++step) {
            for (auto& s : spec.stages) {
                const StageSpec other = random_stage(random, {});
                const auto& table = s.stage_kind().parameters;
                for (size_t i = 0; i < table.size(); ++i) {
                    if (!table[i].structural && random() % 3 == 0) {
                        s.values[i] =
                            position_to_value(table[i], static_cast<double>(random() % 1001) / 1000.0);
                    }
                }
                s.bypass = other.bypass;
            }
            REQUIRE(chain_problems(spec).empty());
            chain.value()->post(spec);
            AudioBuffer work = mono(noise(0.2, 0.01, static_cast<unsigned>(step)));
            chain.value()->process(work.block(0, 480));
            for (const float x : work[0]) REQUIRE(std::isfinite(x));
            // Loud boosts may be loud, but nothing runs away.
            REQUIRE(peak(work[0]) < 1e5);
        }
        REQUIRE(chain.value()->faults() == 0);
    }
}
