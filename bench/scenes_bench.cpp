// What a folder of a thousand scenes takes: read for the first time, read again, one saved, one found by
// typing; and what the largest scene takes that is read at all. Median of five rounds, each also as a
// multiple of reading the bytes alone.
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "base/case_folding.h"
#include "base/file.h"
#include "scenes/library.h"

namespace {

using namespace reed;
using Clock = std::chrono::steady_clock;

constexpr int kScenes = 1000, kRounds = 5;

ChainSpec full() {
    ChainSpec out;
    for (const char* kind : {"gain", "suppression", "gate", "equalizer", "compressor", "limiter"})
        out.stages.push_back(new_stage(out, *find_stage_kind(kind)));
    return out;
}

double median_ms(const std::function<void()>& work) {
    std::vector<double> taken;
    for (int i = 0; i < kRounds; ++i) {
        const auto from = Clock::now();
        work();
        taken.push_back(std::chrono::duration<double, std::milli>(Clock::now() - from).count());
    }
    std::ranges::sort(taken);
    return taken[kRounds / 2];
}

}  // namespace

int main() {
    const auto folder = std::filesystem::temp_directory_path() / "dusky-reed-scenes-bench";
    std::filesystem::remove_all(folder);
    Scene scene;
    scene.chain() = full();
    for (int i = 0; i < kScenes; ++i) {
        scene.name = "Scene " + std::to_string(i);
        scene.note = "Number " + std::to_string(i * 7919 % kScenes) + " of the bench.";
        if (!write_file(folder / (std::to_string(i) + ".json"), write_scene(scene)).ok()) return 1;
    }
    // Older than what is always read again.
    const auto long_ago = std::filesystem::file_time_type::clock::now() - std::chrono::hours(1);
    for (const auto& e : std::filesystem::directory_iterator(folder))
        std::filesystem::last_write_time(e.path(), long_ago);

    size_t bytes = 0;
    const double raw = median_ms([&] {
        bytes = 0;
        for (const auto& e : std::filesystem::directory_iterator(folder)) {
            const auto text = read_file(e.path(), kMaxSceneBytes);
            bytes += text.ok() ? text.value().size() : 0;
        }
    });
    size_t count = 0;
    const double first = median_ms([&] { count = SceneLibrary(folder).list().scenes.size(); });
    const SceneLibrary library(folder);
    const SceneListing there = library.list();
    const double again = median_ms([&] { count += library.list().scenes.size(); });
    const double saving = median_ms([&] {
        scene.name = "Scene 500";
        scene.chain().stages[0].set("gain", scene.chain().stages[0].value("gain") + 0.5);
        count += library.save(scene).ok() ? 1 : 0;
    });
    const std::string wanted = case_folded("number 77");
    const double finding = median_ms([&] {
        count += static_cast<size_t>(std::ranges::count_if(there.scenes, [&](const SceneEntry& e) {
            return case_folded(e.scene.name + ' ' + e.scene.note).find(wanted) != std::string::npos;
        }));
    });
    // As long as a scene may be.
    Scene large = scene;
    while (write_scene(large).size() < kMaxSceneBytes * 9 / 10) {
        StripSpec& s = large.desk.strips.size() < kMaxVoices
                           ? large.desk.strips.emplace_back(new_strip(large.desk, StripRole::voice, {}))
                           : large.desk.strips.back();
        while (s.chain.stages.size() < kMaxStages && write_scene(large).size() < kMaxSceneBytes * 9 / 10)
            s.chain.stages.push_back(new_stage(s.chain, *find_stage_kind("equalizer")));
        if (large.desk.strips.size() == kMaxVoices && s.chain.stages.size() == kMaxStages) break;
    }
    const std::string text = write_scene(large);
    const double reading = median_ms([&] { count += read_scene(text).scene ? 1 : 0; });
    std::filesystem::remove_all(folder);
    std::printf("%d scenes, %.1f MB (checked: %zu)\n", kScenes, static_cast<double>(bytes) / 1e6, count);
    const auto row = [&](const char* what, double ms) {
        std::printf("%-40s %8.1f ms  %6.2f x the bytes alone\n", what, ms, ms / raw);
    };
    row("the bytes alone", raw);
    row("listed for the first time", first);
    row("listed again", again);
    row("one saved", saving);
    row("searched", finding);
    std::printf("%-40s %8.1f ms  (%.2f MB)\n", "a large scene read", reading,
                static_cast<double>(text.size()) / 1e6);
    return 0;
}
