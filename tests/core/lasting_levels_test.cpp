// Levels that findings are derived from.
#include <catch2/catch.hpp>

#include "engine/meter_reader.h"
#include "measure/findings.h"
#include "support/noises.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("the finding of a gate behind a suppression does not change with every word", "[engine]") {
    // What a suppression leaves of the room varies by 10 dB from pause to pause.
    for (const Noise which : {Noise::fan, Noise::rain, Noise::lathe}) {
        INFO(noise_name(which));
        std::vector<float> words = spoken_words(6);
        const auto room = make_noise(which, static_cast<double>(words.size()) / 48000.0, 3);
        for (size_t i = 0; i < words.size(); ++i) words[i] += 0.002f * room[i];
        Engine engine;
        const ChainSpec spec = chain_of(
            {stage("suppression"), stage("gate", {{"open_threshold", -54}, {"close_threshold", -60}})});
        REQUIRE(engine.open({48000, 1}, spec).ok());
        MeterReader reader(engine);
        AudioBuffer sound = mono(words);
        std::string shown, quick;
        int changes = 0, quick_changes = 0;
        for (size_t i = 0; i + 480 <= sound.frames(); i += 480) {
            engine.process(sound.block(i, 480));
            reader.poll();
            if (i < size_t{35} * 48000 || i / 480 % 10 != 0) continue;
            const std::string now(stage_finding(spec, 1, reader.lasting_levels()).id);
            const std::string at_once(stage_finding(spec, 1, reader.levels()).id);
            changes += !shown.empty() && now != shown ? 1 : 0;
            quick_changes += !quick.empty() && at_once != quick ? 1 : 0;
            shown = now;
            quick = at_once;
        }
        CHECK(changes == 0);
        CHECK(quick_changes > 5);  // over the window alone it would
    }
}

TEST_CASE("levels for findings begin again when a value has changed", "[engine]") {
    std::vector<float> words = spoken_words(4);
    for (float& x : words) x += 0.001f;
    Engine engine;
    const ChainSpec spec = chain_of({stage("gain")});
    REQUIRE(engine.open({48000, 1}, spec).ok());
    MeterReader reader(engine);
    reader.set_window(10.0);
    AudioBuffer sound = mono(words);
    size_t at = 0;
    const auto run = [&](double seconds) {
        const auto end = at + static_cast<size_t>(seconds * 48000.0) / 480 * 480;
        REQUIRE(end <= sound.frames());
        for (; at < end; at += 480) {
            engine.process(sound.block(at, 480));
            reader.poll();
        }
    };
    run(8.0);
    CHECK(reader.lasting_levels().seconds == reader.levels().seconds);
    run(22.0);
    const double long_one = reader.lasting_levels().seconds;
    CHECK(long_one > 22.0);
    CHECK(reader.levels().seconds < 10.1);
    reader.values_changed();
    CHECK(reader.lasting_levels().seconds == reader.levels().seconds);
    run(15.0);
    CHECK(reader.lasting_levels().seconds == Approx(15.0).margin(2.1));
    // Never over more than its own length.
    reader.restart();
    CHECK(reader.lasting_levels().seconds == 0.0);
}
