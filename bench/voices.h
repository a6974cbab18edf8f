// Recorded voices to measure on, and how a figure of all of them is told.
#pragma once

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include "base/sound_file.h"
#include "chain/chain.h"
#include "engine/render.h"

namespace reed::bench {

using Sound = std::vector<float>;

struct Voice {
    std::string name;
    Sound sound;
};

/// First channels of the WAV files in a folder, by name.
inline std::vector<Voice> voices_in(const std::string& folder) {
    std::vector<Voice> out;
    for (const auto& f : std::filesystem::directory_iterator(folder)) {
        auto sound = read_sound(f.path().string());
        if (sound.ok()) out.push_back({f.path().stem().string(), sound.value()[0]});
    }
    std::ranges::sort(out, {}, &Voice::name);
    return out;
}

/// A stage with values of its own.
inline StageSpec stage(const char* kind, const std::vector<std::pair<const char*, double>>& values = {}) {
    StageSpec out = new_stage({}, *find_stage_kind(kind));
    for (const auto& [id, value] : values) out.set(id, value);
    return out;
}

/// One channel at 48 kHz through one stage.
inline Sound through(const StageSpec& stage, const Sound& x) {
    AudioBuffer in(1, x.size());
    in[0] = x;
    auto out = render({{stage}}, in, 48000.0, 480);
    if (!out.ok()) {
        std::fprintf(stderr, "%s\n", out.error().text().c_str());
        std::exit(1);
    }
    return out.value()[0];
}

/// Share of a core in % at 48 kHz in blocks of 128 frames, the best of five times twenty seconds.
inline double cost(const ChainSpec& spec, int channels, const Sound& x) {
    double least = 1e9;
    for (int round = 0; round < 5; ++round) {
        auto built = Chain::build(spec, {48000.0, channels});
        AudioBuffer block(channels, 128);
        const auto start = std::chrono::steady_clock::now();
        size_t at = 0;
        for (size_t done = 0; done < 20 * 48000; done += 128, at = (at + 128) % (x.size() - 128)) {
            for (int c = 0; c < channels; ++c)
                std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), 128, block[c].begin());
            built.value()->process(block.block(0, 128));
        }
        const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
        least = std::min(least, 100.0 * took.count() / 20.0);
    }
    return least;
}

/// Median and worst case by name.
inline void tell(const char* what, std::vector<std::pair<double, std::string>> all, bool low_is_worst) {
    std::ranges::sort(all);
    if (all.empty()) return;
    const auto& worst = low_is_worst ? all.front() : all.back();
    std::printf("  %-46s median %7.2f, worst %7.2f (%s), of %zu\n", what, all[all.size() / 2].first,
                worst.first, worst.second.c_str(), all.size());
}

}  // namespace reed::bench
