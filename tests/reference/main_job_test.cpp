// The main job on real input: human speech in a noisy room through the demo scenes.
#include <algorithm>
#include <catch2/catch.hpp>
#include <filesystem>

#include "base/decibel.h"
#include "devices/simulated_room.h"
#include "engine/render.h"
#include "measure/file_measure.h"
#include "measure/findings.h"
#include "measure/loudness.h"
#include "measure/speech_level.h"
#include "scenes/library.h"
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

namespace {

/// Half a minute of the simulated workshop.
AudioBuffer workshop(double dehumidifier, double lathe, double rain) {
    auto room = SimulatedRoom::create(REED_DEMO_DATA);
    REQUIRE(room.ok());
    room.value()->set(kRoomEffort, 3);
    room.value()->set(kRoomDehumidifier, dehumidifier);
    room.value()->set(kRoomLathe, lathe);
    room.value()->set(kRoomRain, rain);
    AudioBuffer out(1, 30 * 48000);
    for (size_t i = 0; i + 480 <= out.frames(); i += 480) room.value()->fill(out.block(i, 480));
    return out;
}

/// Warnings of the stages about `in`, and the loudness of the output when it is more than 1 LU off -16 LUFS.
std::string complaints(const ChainSpec& chain, const AudioBuffer& in) {
    std::string all;
    auto levels = sound_levels(chain, in, 48000.0);
    REQUIRE(levels.ok());
    levels.value().set_window(20.0);  // without the seconds in which the suppression settles
    const LevelReport report = levels.value().report();
    for (size_t i = 0; i < chain.stages.size(); ++i) {
        const Finding f = stage_finding(chain, i, report);
        if (f.tone == FindingTone::warning) all += chain.stages[i].id + ": " + format_message(f) + "\n";
    }
    const auto out = render(chain, in, 48000.0, 512);
    REQUIRE(out.ok());
    // The suppression and the make-up settle in the first seconds.
    AudioBuffer late(out.value().channels(), out.value().frames() - 8 * 48000);
    for (int c = 0; c < late.channels(); ++c)
        std::copy_n(out.value()[c].begin() + 8 * 48000, late.frames(), late[c].begin());
    const auto loudness = measure_loudness(late, 48000.0).integrated;
    if (!loudness || std::abs(*loudness + 16.0) > 1.0)
        all += "loudness " + std::to_string(loudness.value_or(-99.0)) + "\n";
    return all;
}

}  // namespace

TEST_CASE("demo scenes and templates have no warning and are at -16 LUFS on the demo sounds",
          "[reference][main][figures]") {
    const auto check = [](const std::string& file, const AudioBuffer& in) {
        const SceneReading r = load_scene(std::string(REED_DEMO_DATA) + "/" + file);
        REQUIRE(r.scene);
        INFO(file);
        CHECK(complaints(r.scene->chain(), in) == "");
    };
    const AudioBuffer talk = workshop(60, 0, 0);
    check("scenes/bench-talk.json", talk);
    check("scenes/lathe-running.json", workshop(0, 60, 0));
    check("scenes/rain-on-tin.json", workshop(0, 0, 60));
    check("scenes/evening-quiet.json", workshop(0, 0, 0));
    for (const char* point : {"boomy-voice", "noisy-room", "quiet-room", "sharp-voice", "thin-voice",
                              "keyboard", "loud-programme", "two-people", "guest-by-call", "low-delay"})
        check(std::string("starting_points/") + point + ".json", talk);
}
