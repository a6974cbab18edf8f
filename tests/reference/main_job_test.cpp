// The main job on real input: human speech in a noisy room through the demo scenes.
#include <algorithm>
#include <catch2/catch.hpp>
#include <filesystem>

#include "base/decibel.h"
#include "engine/render.h"
#include "measure/file_measure.h"
#include "measure/speech_level.h"
#include "scenes/scene.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

double floor_of(const std::vector<float>& x) {
    FileMeasure m({48000, 1});
    AudioBuffer b = mono(x);
    m.add(b.block(0, static_cast<int>(x.size())));
    return m.result().noise_floor_dbfs.value_or(kSilenceDb);
}

Scene demo_scene(const std::string& file) {
    const SceneReading r = load_scene(std::string(REED_DEMO_DATA) + "/scenes/" + file);
    REQUIRE(r.scene);
    return *r.scene;
}

}  // namespace

TEST_CASE("speech in noise: the room falls by 15 dB or more, the voice keeps its level, the ceiling holds",
          "[reference][main][figures]") {
    auto words = spoken_words(3);
    for (auto& x : words) x *= 0.5f;  // peaks at -12 dBFS
    struct Case {
        const char* scene;
        double noise_rms;
        double corner;
    };
    for (const Case& c : {Case{"bench-talk.json", 0.004, 500}, Case{"bench-talk.json", 0.002, 8000},
                          Case{"rain-on-tin.json", 0.004, 12000}}) {
        INFO(c.scene << " noise " << c.noise_rms << " below " << c.corner << " Hz");
        const auto in = mix(words, dull_noise(c.noise_rms, c.corner, 60, 77));
        const Scene scene = demo_scene(c.scene);
        const auto out = run(scene.chain(), in);
        // The first eight seconds teach the suppression and the make-up.
        const long from = 8 * 48000;
        const std::vector<float> in_late(in.begin() + from, in.end());
        const std::vector<float> out_late(out.begin() + from, out.end());
        const double before = floor_of(in_late);
        const double after = floor_of(out_late);
        CHECK(before - after >= 15.0);
        const auto speech_in = speech_level(std::vector<float>(words.begin() + from, words.end()), 48000);
        const auto speech_out = speech_level(out_late, 48000);
        // The scenes bring the voice to their target by a make-up gain set by hand.
        const auto makeup =
            std::ranges::find(scene.chain().stages, "compressor", &StageSpec::kind)->value("makeup");
        CHECK(speech_out->active_dbfs == Approx(speech_in->active_dbfs + makeup).margin(2.0));
        const double ceiling = scene.chain().stages.back().value("ceiling");
        CHECK(peak(out) <= static_cast<float>(db_to_gain(ceiling)));
    }
}

TEST_CASE("every demo scene is valid, ends in a limiter and keeps its ceiling in the simulated workshop",
          "[reference][main]") {
    size_t scenes = 0;
    for (const auto& e : std::filesystem::directory_iterator(std::string(REED_DEMO_DATA) + "/scenes")) {
        const Scene s = demo_scene(e.path().filename());
        CHECK(read_scene(write_scene(s)).remarks.empty());
        auto loud = noise(0.5, 1.0, 3);
        append(loud, sine(300, 4.0, 1.0));
        CHECK(peak(run(s.chain(), loud)) <=
              static_cast<float>(db_to_gain(s.chain().stages.back().value("ceiling"))));
        ++scenes;
    }
    CHECK(scenes >= 5);
}

TEST_CASE("the chain sounds the same at every sample rate", "[reference][main][figures]") {
    // One second of tone and noise at each rate through a scene; levels agree within half a decibel.
    const Scene scene = demo_scene("evening-quiet.json");
    std::vector<double> levels;
    for (const double rate : {44100.0, 48000.0, 88200.0, 96000.0, 176400.0, 192000.0}) {
        const auto in = sine(440, 0.05, 3.0, rate);
        const auto out = run(scene.chain(), in, rate);
        levels.push_back(db(tone_amplitude(out, 440, rate, static_cast<size_t>(0.2 * rate))));
    }
    for (const double l : levels) CHECK(l == Approx(levels[1]).margin(0.5));
}
