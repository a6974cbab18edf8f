// A scene made for one voice and room, brought to others.
#include <algorithm>
#include <catch2/catch.hpp>

#include "base/decibel.h"
#include "base/file.h"
#include "base/sound_file.h"
#include "measure/loudness.h"
#include "measure/speech_level.h"
#include "scenes/adaptation.h"
#include "scenes/library.h"
#include "scenes/scene.h"
#include "support/command.h"
#include "support/noises.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// A sound of the demo at 48 kHz, so many dB louder.
std::vector<float> spoken(const std::string& name, double db) {
    SoundInfo info;
    auto sound = read_sound(std::string(REED_DEMO_DATA) + "/sounds/" + name, &info);
    REQUIRE(sound.ok());
    REQUIRE(info.sample_rate == 48000);
    std::vector<float> out = sound.value()[0];
    if (out.size() > 20 * 48000) out.resize(20 * 48000);
    for (float& x : out) x *= static_cast<float>(db_to_gain(db));
    return out;
}

/// With a room of `room` dBFS behind it.
AudioBuffer voice_in_room(const std::vector<float>& voice, Noise kind, double room) {
    std::vector<float> behind = make_noise(kind, static_cast<double>(voice.size()) / 48000.0, 7);
    behind.resize(voice.size());
    for (float& x : behind) x *= static_cast<float>(db_to_gain(room));
    return mono(mix(voice, behind));
}

/// What a person sets for a voice at -22 and a room at -50 dBFS.
ChainSpec tuned(bool with_gain) {
    std::vector<StageSpec> stages{stage("gate", {{"open_threshold", -40}, {"close_threshold", -45}}),
                                  stage("compressor", {{"threshold", -26}, {"ratio", 3}, {"makeup", 3}}),
                                  stage("limiter")};
    if (with_gain) stages.insert(stages.begin(), stage("gain", {{"gain", 2}}));
    return chain_of(stages);
}

TapLevels before(const ChainSpec& chain, const std::string& id, const AudioBuffer& sound) {
    ChainSpec up_to = chain;
    up_to.stages.resize(static_cast<size_t>(chain.index_of(id)));
    const auto levels = sound_levels(up_to, sound, 48000);
    REQUIRE(levels.ok());
    return levels.value().report().taps.back();
}

double loudness(const ChainSpec& chain, double fader, const AudioBuffer& sound) {
    auto out = render(chain, sound, 48000);
    REQUIRE(out.ok());
    const auto reading = measure_loudness(out.value(), 48000);
    REQUIRE(reading.integrated);
    return *reading.integrated + fader;
}

}  // namespace

TEST_CASE("a scene made for one voice and room fits six others after one step", "[scene][figures]") {
    const AudioBuffer origin = voice_in_room(spoken("voice_talk.flac", 0), Noise::fan, -52);
    struct Other {
        const char* voice;
        double db;
        Noise kind;
        double room;
    };
    const Other others[] = {
        {"voice_talk.flac", -14, Noise::fan, -66},     {"voice_talk.flac", 6, Noise::lathe, -46},
        {"apprentice.flac", 0, Noise::rain, -55},      {"apprentice.flac", -9, Noise::hiss, -62},
        {"voice_shout.flac", -6, Noise::traffic, -50}, {"voice_talk.flac", -20, Noise::fountain, -64},
    };
    for (const bool with_gain : {true, false}) {
        const ChainSpec chain = tuned(with_gain);
        const auto made = measure_made_for(chain, 0.0, origin, 48000);
        REQUIRE(made);
        CHECK_FALSE(is_off(made->in, made->in));
        for (const Other& o : others) {
            const AudioBuffer here = voice_in_room(spoken(o.voice, o.db), o.kind, o.room);
            const auto fit = adapt_chain(chain, 0.0, *made, here, 48000);
            INFO(o.voice << " " << o.db << " dB, " << noise_name(o.kind) << " at " << o.room
                         << (with_gain ? ", with a gain" : ", without"));
            REQUIRE(fit.ok());
            const ChainSpec& fitted = fit.value().chain;
            CHECK(fitted == with_changes(chain, fit.value().changes));
            const TapLevels gate = before(fitted, "gate", here);
            const StageSpec& g = fitted.stages[static_cast<size_t>(fitted.index_of("gate"))];
            CHECK(g.value("close_threshold") > gate.room);
            CHECK(g.value("open_threshold") < gate.voice_low + 1.0);
            CHECK(g.value("open_threshold") > g.value("close_threshold"));
            const double lufs = loudness(fitted, fit.value().fader, here);
            CHECK(std::abs(lufs - made->loudness) < 1.0);
            CHECK(std::abs(lufs - fit.value().loudness) < 0.2);
            for (const AdaptationChange& c : fit.value().changes)
                CHECK_FALSE(format_message(fit_reason(c)).empty());
        }
    }
}

TEST_CASE("in rooms that swell and fade the gate is placed above the loud moments of the noise",
          "[scene][figures]") {
    // Made for a steady room, where loud moments are hardly above the median.
    const AudioBuffer origin = voice_in_room(spoken("voice_talk.flac", 0), Noise::fan, -52);
    const ChainSpec chain = tuned(true);
    const auto made = measure_made_for(chain, 0.0, origin, 48000);
    REQUIRE(made);
    for (const Noise kind : {Noise::traffic, Noise::wind, Noise::street}) {
        for (const double room : {-58.0, -52.0}) {
            const AudioBuffer here = voice_in_room(spoken("apprentice.flac", 0), kind, room);
            const auto fit = adapt_chain(chain, 0.0, *made, here, 48000);
            REQUIRE(fit.ok());
            const ChainSpec& fitted = fit.value().chain;
            const TapLevels in = before(fitted, "gate", here);
            CAPTURE(noise_name(kind), room, in.room, in.room_high, in.voice_low);
            const StageSpec& gate = fitted.stages[1];
            CHECK(gate.value("close_threshold") > in.room_high);
            CHECK(gate.value("open_threshold") < in.voice_low);
        }
    }
}

TEST_CASE("where nothing is other, nothing is to be changed", "[scene][figures]") {
    const AudioBuffer origin = voice_in_room(spoken("voice_talk.flac", 0), Noise::fan, -52);
    const ChainSpec chain = tuned(true);
    const auto made = measure_made_for(chain, -2.0, origin, 48000);
    REQUIRE(made);
    const auto fit = adapt_chain(chain, -2.0, *made, origin, 48000);
    REQUIRE(fit.ok());
    CHECK(fit.value().changes.empty());
    CHECK(fit.value().chain == chain);
    CHECK(fit.value().fader == -2.0);
}

TEST_CASE("a gain goes first, thresholds keep their place, and what is out of reach is told",
          "[scene][figures]") {
    const std::vector<float> voice = spoken("voice_talk.flac", 0);
    const AudioBuffer origin = voice_in_room(voice, Noise::fan, -52);
    const auto made = measure_made_for(tuned(true), 0.0, origin, 48000);
    REQUIRE(made);
    // The same voice and room, all 10 dB lower: the gain does it alone.
    AudioBuffer lower = origin;
    for (float& x : lower[0]) x *= static_cast<float>(db_to_gain(-10.0));
    const auto fit = adapt_chain(tuned(true), 0.0, *made, lower, 48000);
    REQUIRE(fit.ok());
    REQUIRE(fit.value().changes.size() == 1);
    const AdaptationChange& gain = fit.value().changes[0];
    CHECK(gain.stage == "gain");
    CHECK(gain.why == AdaptationChange::Why::level);
    CHECK(std::abs(gain.to - 12.0) < 0.3);
    CHECK(std::abs(gain.here.usual + 10.0 - gain.made.usual) < 0.3);
    CHECK(is_off(made->in, fit.value().here));
    // Without one every threshold goes down by as much, and the make-up brings the loudness back.
    const auto made_plain = measure_made_for(tuned(false), 0.0, origin, 48000);
    const auto plain = adapt_chain(tuned(false), 0.0, *made_plain, lower, 48000);
    REQUIRE(plain.ok());
    const auto now = [&](const char* id, const char* row) {
        return plain.value().chain.stages[static_cast<size_t>(plain.value().chain.index_of(id))].value(row);
    };
    CHECK(std::abs(now("gate", "open_threshold") + 50.0) < 0.5);
    CHECK(std::abs(now("gate", "close_threshold") + 55.0) < 0.5);
    CHECK(std::abs(now("compressor", "threshold") + 36.0) < 0.5);
    CHECK(std::abs(now("compressor", "makeup") - 13.0) < 0.5);
    CHECK(plain.value().changes.back().why == AdaptationChange::Why::loudness);
    // 60 dB lower: more than a gain can do is told.
    for (float& x : lower[0]) x *= static_cast<float>(db_to_gain(-35.0));
    ChainSpec nearly = tuned(true);
    const int row = nearly.stages[0].stage_kind().find("gain");
    nearly.stages[0].values[static_cast<size_t>(row)] =
        nearly.stages[0].stage_kind().parameters[static_cast<size_t>(row)].maximum - 3.0;
    auto far = *made;
    const auto too_far = adapt_chain(nearly, 0.0, far, lower, 48000);
    REQUIRE(too_far.ok());
    REQUIRE_FALSE(too_far.value().changes.empty());
    CHECK(too_far.value().changes[0].short_of);
    CHECK_THAT(format_message(fit_reason(too_far.value().changes[0])),
               Catch::Contains("This is the limit of the stage"));
}

TEST_CASE("thresholds of one stage move together, so that none passes the other", "[scene][figures]") {
    // The room alone is other: what stands near it moves, what stands at the words hardly does.
    const std::vector<float> voice = spoken("voice_talk.flac", 0);
    const ChainSpec chain =
        chain_of({stage("gate", {{"open_threshold", -46}, {"close_threshold", -46.2}}), stage("limiter")});
    const auto made = measure_made_for(chain, 0.0, voice_in_room(voice, Noise::fan, -52), 48000);
    REQUIRE(made);
    for (double room = -54.0; room <= -47.0; room += 0.5) {
        const auto fit = adapt_chain(chain, 0.0, *made, voice_in_room(voice, Noise::fan, room), 48000);
        REQUIRE(fit.ok());
        const StageSpec& gate = fit.value().chain.stages[0];
        INFO(room << ": opens " << gate.value("open_threshold") << ", closes "
                  << gate.value("close_threshold"));
        CHECK(gate.value("open_threshold") >= gate.value("close_threshold"));
        CHECK(std::ranges::count(fit.value().changes, "gate", &AdaptationChange::stage) != 1);
    }
}

TEST_CASE("thresholds of a part of the spectrum go along with the voice, those that act alone", "[scene]") {
    const VoiceLevels made{-60, -32, -22, -16};
    const VoiceLevels here{-70, -40, -31, -25};
    const StageSpec moving =
        stage("equalizer", {{"band4_moves", 1}, {"band4_threshold", -40}, {"band5_threshold", -35}});
    StageSpec to = placed(moving, made, here);
    CHECK(to.value("band4_threshold") == -49.0);
    CHECK(to.value("band5_threshold") == -35.0);  // stays where it is, as its band does
    CHECK(to.value("band4_gain") == moving.value("band4_gain"));
    const StageSpec off = stage("equalizer", {{"band4_moves", 1}, {"band4_on", 0}, {"band4_threshold", -40}});
    CHECK(placed(off, made, here) == off);
    const StageSpec cut = stage("equalizer", {{"band1_moves", 1}, {"band1_threshold", -40}});
    CHECK(placed(cut, made, here) == cut);
    // Three ranges, of which one is left alone.
    const StageSpec ranges =
        stage("multiband", {{"range1_threshold", -30}, {"range2_ratio", 1}, {"range4_threshold", -50}});
    to = placed(ranges, made, here);
    CHECK(to.value("range1_threshold") == -39.0);
    CHECK(to.value("range2_threshold") == ranges.value("range2_threshold"));
    CHECK(to.value("range3_threshold") == ranges.value("range3_threshold") - 9.0);
    CHECK(to.value("range4_threshold") == -50.0);

    // The whole way, on a voice 10 dB below the one it was made for, with no gain to bring it back.
    const AudioBuffer origin = voice_in_room(spoken("voice_talk.flac", 0), Noise::fan, -55);
    const ChainSpec chain = chain_of({moving});
    const auto levels = measure_made_for(chain, 0.0, origin, 48000);
    REQUIRE(levels);
    AudioBuffer quiet = origin;
    for (float& x : quiet[0]) x *= static_cast<float>(db_to_gain(-10));
    const auto fit = adapt_chain(chain, 0.0, *levels, quiet, 48000);
    REQUIRE(fit.ok());
    REQUIRE_FALSE(fit.value().changes.empty());
    CHECK(fit.value().changes[0].stage == "equalizer");
    CHECK(fit.value().changes[0].to == Approx(-50.0).margin(1.0));
    CHECK(fit.value().chain.stages[0].value("band5_threshold") == -35.0);
}

TEST_CASE("what can't be fitted says why", "[scene]") {
    const AudioBuffer quiet = mono(noise(0.001, 5.0, 1));
    CHECK_FALSE(measure_made_for(tuned(true), 0.0, quiet, 48000));
    const auto fit = adapt_chain(tuned(true), 0.0, {}, quiet, 48000);
    REQUIRE_FALSE(fit.ok());
    CHECK_THAT(fit.error().text(), Catch::Contains("no speech with pauses"));
    int calls = 0;
    const AudioBuffer voice = voice_in_room(spoken("voice_talk.flac", 0), Noise::fan, -52);
    const auto cancelled =
        adapt_chain(tuned(true), 0.0, {}, voice, 48000, [&](double) { return ++calls < 3; });
    REQUIRE_FALSE(cancelled.ok());
    CHECK(calls == 3);
    // A gate that listens to another strip goes by that one's levels, and one that is off by none.
    ChainSpec keyed = tuned(true);
    keyed.stages[1].key = "guest";
    keyed.stages[2].bypass = true;
    const auto made = measure_made_for(tuned(true), 0.0, voice, 48000);
    AudioBuffer lower = voice;
    for (float& x : lower[0]) x *= 0.1f;
    keyed.stages[0].bypass = true;
    const auto left = adapt_chain(keyed, 0.0, *made, lower, 48000);
    REQUIRE(left.ok());
    for (const AdaptationChange& c : left.value().changes) CHECK(c.stage.empty());
}

TEST_CASE("the command line notes what a scene is made for, and fits it to another voice",
          "[scene][command]") {
    const TemporaryFolder folder;
    const AudioBuffer origin = voice_in_room(spoken("voice_talk.flac", 0), Noise::fan, -52);
    write_wav(folder.path("here.wav"), origin);
    AudioBuffer lower = origin;
    for (float& x : lower[0]) x *= static_cast<float>(db_to_gain(-10.0));
    write_wav(folder.path("there.wav"), lower);
    Scene scene;
    scene.name = "Friend";
    scene.chain() = tuned(true);
    REQUIRE(write_file(folder.path("s.json"), write_scene(scene)).ok());
    const auto cli = [&](std::vector<std::string> arguments) {
        arguments.insert(arguments.begin(), {REED_CLI, "scene"});
        return run_command(arguments);
    };
    const auto unknown = cli({"fit", "--scene", folder.path("s.json"), "--in", folder.path("there.wav"),
                              "--out", folder.path("f.json")});
    CHECK(unknown.status == 2);
    CHECK_THAT(unknown.err, Catch::Contains("has no reference levels"));
    const auto noted = cli({"note", "--scene", folder.path("s.json"), "--in", folder.path("here.wav"),
                            "--out", folder.path("n.json")});
    INFO(noted.err);
    REQUIRE(noted.status == 0);
    const auto made = load_scene(folder.path("n.json"));
    REQUIRE(made.scene);
    CHECK(made.scene->made_for.at("voice").stages.size() == 4);
    const auto fitted = cli({"fit", "--json", "--scene", folder.path("n.json"), "--in",
                             folder.path("there.wav"), "--out", folder.path("f.json")});
    REQUIRE(fitted.status == 0);
    CHECK_THAT(fitted.out, Catch::Contains("\"stage\": \"gain\""));
    const auto scene_now = load_scene(folder.path("f.json"));
    REQUIRE(scene_now.scene);
    CHECK(std::abs(scene_now.scene->chain().stages[0].value("gain") - 12.0) < 0.3);
}

TEST_CASE("a threshold keeps its place between room, quiet, usual and loud voice", "[scene]") {
    const VoiceLevels made{-60, -40, -30, -20}, here{-50, -40, -35, -30};
    const auto at = [&](double level) {
        return placed(stage("compressor", {{"threshold", level}}), made, here).value("threshold");
    };
    CHECK(at(-50) == -45.0);  // in the middle of room and quiet words
    CHECK(at(-40) == -40.0);
    CHECK(at(-35) == Approx(-37.5).margin(0.06));
    CHECK(at(-25) == Approx(-32.5).margin(0.06));
    CHECK(at(-10) == -20.0);  // beyond the loud words as far as it was
    const StageSpec gate = placed(stage("gate", {{"open_threshold", -70}, {"close_threshold", -79}}), made,
                                  {-75, -40, -35, -30});
    CHECK(gate.value("open_threshold") == -80.0);  // no lower than it goes
    CHECK(gate.value("close_threshold") == -80.0);
    // Of a room that is as loud as quiet words the voice counts.
    CHECK(placed(stage("gate", {{"open_threshold", -36}}), {-39.8, -40, -30, -20}, {-41, -40, -30, -20})
              .value("open_threshold") == -36.0);
    // What is no threshold stays.
    CHECK(placed(stage("limiter", {{"ceiling", -3}}), made, here) == stage("limiter", {{"ceiling", -3}}));
}

TEST_CASE("a gate's preset keeps out the loud moments of the noise and lets quiet speech through",
          "[scene]") {
    const auto levels = [](double room, double room_high, double voice_low) {
        TapLevels in;
        in.room_known = in.voice_known = true;
        in.room = room;
        in.room_high = room_high;
        in.voice_low = voice_low;
        in.voice = voice_low + 10.0;
        in.voice_high = voice_low + 20.0;
        return in;
    };
    const VoiceLevels made{-60, -40, -30, -20};
    const StageSpec preset = stage("gate", {{"open_threshold", -52}, {"close_threshold", -55}});
    // By the medians alone it stays, and a room that swells opens it.
    const TapLevels swelling = levels(-60, -50, -40);
    const StageSpec by_levels = placed(preset, made, voice_levels(swelling));
    CHECK(by_levels == preset);
    const StageSpec there = between_noise_and_speech(by_levels, swelling);
    CHECK(there.value("close_threshold") > -50);
    CHECK(there.value("open_threshold") < -40);
    CHECK(there.value("open_threshold") > there.value("close_threshold"));
    // Where it keeps out the noise as it is, by a step at least, it stays.
    CHECK(between_noise_and_speech(preset, levels(-60, -57, -40)) == preset);
    CHECK(between_noise_and_speech(preset, levels(-60, -55.2, -40)) != preset);
    CHECK(between_noise_and_speech(preset, levels(-70, -66, -51.8)) != preset);
    // No place between them, and stages that look at no levels.
    CHECK(between_noise_and_speech(preset, levels(-60, -42, -41)) == preset);
    CHECK(between_noise_and_speech(stage("widener"), swelling) == stage("widener"));
}

TEST_CASE("every shipped scene says what it was made for, and fits a microphone far below in one step",
          "[scene][figures]") {
    // Words at -38 dBFS over a room 30 dB below; before, the scenes left them at -40 LUFS.
    auto words = spoken_words(2);
    const double by = db_to_gain(-38.0 - speech_level(words, 48000.0)->active_dbfs);
    for (float& v : words) v *= static_cast<float>(by);
    const auto sound = mono(mix(words, dull_noise(db_to_gain(-71.0), 500.0, 40.0, 3)));
    int voices = 0;
    for (const char* folder : {"/scenes", "/starting_points"}) {
        for (const SceneEntry& entry : SceneLibrary(std::string(REED_DEMO_DATA) + folder).list().scenes) {
            for (const StripSpec& strip : entry.scene.desk.strips) {
                if (strip.role != StripRole::voice) continue;
                INFO(entry.scene.name << ", " << strip.id);
                ++voices;
                const auto made = entry.scene.made_for.find(strip.id);
                REQUIRE(made != entry.scene.made_for.end());
                if (folder != std::string_view("/scenes") || strip.id != "voice") continue;
                const auto fit = adapt_chain(strip.chain, strip.fader, made->second, sound, 48000.0);
                REQUIRE(fit.ok());
                CHECK(fit.value().loudness == Approx(made->second.loudness).margin(1.0));
            }
        }
    }
    CHECK(voices >= 18);
}
