// What a gate opens for: voices without a network, no clicks, no machines, and breaths only when asked. And
// the shipped scenes, with microphones that are quiet.
#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>

#include "base/decibel.h"
#include "measure/speech_level.h"
#include "scenes/scene.h"
#include "support/noises.h"
#include "support/signals.h"
#include "support/suppressions.h"

using namespace reed;
using namespace reed::test;

namespace {

StageSpec gate(bool voice_only, bool no_breaths = false) {
    return stage("gate", {{"open_threshold", -50},
                          {"close_threshold", -58},
                          {"range", -40},
                          {"lookahead", 10},
                          {"voice_only", voice_only ? 1.0 : 0.0},
                          {"no_breaths", no_breaths ? 1.0 : 0.0}});
}

/// dB of the first 60 ms of every word, `out` being as late as `late` frames.
std::vector<double> starts(const std::vector<float>& words, const std::vector<float>& in,
                           const std::vector<float>& out) {
    std::vector<double> each;
    double most = 0.0;
    for (size_t at = 0; at + 480 <= words.size(); at += 480) most = std::max(most, rms(words, at, 480));
    int quiet = 100;
    for (size_t at = 0; at + 2880 <= words.size(); at += 480) {
        const double here = rms(words, at, 480);
        if (here > 0.03 * most && quiet > 20) each.push_back(db(rms(out, at, 2880) / rms(in, at, 2880)));
        quiet = here > 0.03 * most ? 0 : quiet + 1;
    }
    return each;
}

}  // namespace

TEST_CASE("for voice only, a gate without a network ignores clicks and machines and opens for words",
          "[reference][gate][figures]") {
    for (const Noise clicks : {Noise::keyboard, Noise::mouse}) {
        INFO(noise_name(clicks));
        const auto x = scaled(make_noise(clicks, 10.0, 5), 0.05);
        CHECK(db(rms(run(chain_of({gate(true)}), x), 48000) / rms(x, 48000)) < -30.0);
        CHECK(db(rms(run(chain_of({gate(false)}), x), 48000) / rms(x, 48000)) > -6.0);
    }
    // A machine that starts opens it for no longer than a word.
    auto fan = scaled(make_noise(Noise::rain, 8.0, 5), 0.05);
    for (size_t i = 0; i < 96000; ++i) fan[i] *= 0.001f;
    const auto shut = run(chain_of({gate(true)}), fan);
    CHECK(db(rms(shut, 4 * 48000, 96000) / rms(fan, 4 * 48000, 96000)) < -30.0);
    // Words lose little of their first 60 ms, and nothing of the rest.
    const auto words = spoken_words();
    const auto out = run(chain_of({gate(true)}), words);
    CHECK(std::abs(follows(words, out)) < 0.3);
    for (const double d : starts(words, words, out)) CHECK(d > -4.0);
    // A voice that is in the right channel alone is heard as well.
    auto chain = Chain::build(chain_of({gate(true)}), {48000, 2});
    REQUIRE(chain.ok());
    AudioBuffer both = stereo(silence(static_cast<double>(words.size()) / 48000.0), words);
    chain.value()->process(both.block(0, both.frames()));
    const auto delay = static_cast<size_t>(chain.value()->latency());
    const std::vector<float> right(both[1].begin() + static_cast<std::ptrdiff_t>(delay), both[1].end());
    CHECK(std::abs(follows({words.begin(), words.end() - static_cast<std::ptrdiff_t>(delay)}, right)) < 0.3);
}

TEST_CASE("a gate is closed for breaths when that is chosen", "[reference][gate][figures]") {
    // Half a second of soft noise before every word, 20 dB under the voice.
    const auto words = spoken_words();
    auto x = words;
    const double voice = rms(words, 40000, 40000);
    const auto air = noise(0.1 * voice, 14.0, 4);
    std::vector<size_t> breaths;
    int quiet = 0;
    for (size_t at = 0; at + 480 <= words.size(); at += 480) {
        const bool silent = rms(words, at, 480) < 0.002 * voice;
        if (!silent && quiet > 85 && at > 96000 && at < 480000) breaths.push_back(at - 30000);
        quiet = silent ? quiet + 1 : 0;
    }
    REQUIRE(breaths.size() >= 3);
    for (const size_t from : breaths) {
        for (size_t i = 0; i < 24000; ++i)
            x[from + i] +=
                air[from + i] * static_cast<float>(std::sin(M_PI * static_cast<double>(i) / 24000.0));
    }
    const auto with = run(chain_of({gate(false, true)}), x);
    const auto without = run(chain_of({gate(false)}), x);
    for (const size_t from : breaths) {
        CHECK(db(rms(without, from + 6000, 12000) / rms(x, from + 6000, 12000)) > -3.0);
        CHECK(db(rms(with, from + 6000, 12000) / rms(x, from + 6000, 12000)) < -15.0);
    }
    CHECK(std::abs(follows(words, run(chain_of({gate(false, true)}), words))) < 0.3);
}

TEST_CASE("the shipped scenes cut no word of microphones from -40 to -18 dBFS",
          "[reference][gate][figures]") {
    int seen = 0;
    for (const auto& file : std::filesystem::directory_iterator(REED_DEMO_DATA "/scenes")) {
        const auto reading = load_scene(file.path().string());
        REQUIRE(reading.scene.has_value());
        const Scene& scene = *reading.scene;
        CHECK_THAT(scene.note, Catch::Contains("-40 to -18 dBFS"));
        ++seen;
        for (const double level : {-40.0, -34.0, -26.0, -18.0}) {
            const auto spoken = spoken_words();
            const double by = db_to_gain(level - speech_level(spoken, 48000)->active_dbfs);
            auto clean = silence(4.0);
            append(clean, scaled(spoken, by));
            const auto in = mix(
                clean, scaled(make_noise(Noise::fan, static_cast<double>(clean.size()) / 48000.0 + 0.1, 5),
                              db_to_gain(level - 35.0)));
            // With and without what closes in pauses; the rest of the chain is the same.
            ChainSpec open = scene.chain();
            ChainSpec shut = open;
            for (ChainSpec* c : {&open, &shut}) {
                std::erase_if(c->stages, [](const StageSpec& s) {
                    return s.kind != "gain" && s.kind != "suppression" && s.kind != "gate" &&
                           s.kind != "expander";
                });
            }
            for (StageSpec& s : open.stages) s.bypass = s.kind == "gate" || s.kind == "expander";
            const auto loss = starts(clean, run(open, in), run(shut, in));
            INFO(scene.name << " at " << level);
            REQUIRE(loss.size() >= 5);
            for (const double d : loss) CHECK(d > -3.0);
        }
    }
    CHECK(seen == 6);
}
