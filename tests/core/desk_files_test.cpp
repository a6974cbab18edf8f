// Desks in scene files and on the command line.
#include <catch2/catch.hpp>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/decibel.h"
#include "base/file.h"
#include "base/sound_file.h"
#include "mixer/mixer_render.h"
#include "scenes/library.h"
#include "scenes/working_state.h"
#include "support/command.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;
using nlohmann::json;

namespace {

Scene two_and_music() {
    Scene s;
    s.name = "Two and music";
    MixerSpec& d = s.desk;
    d.target_distance_min = 8;
    d.strips[0].name = "Me";
    d.strips[0].chain = chain_of({stage("compressor"), stage("limiter")});
    d.strips.push_back(new_strip(d, StripRole::voice, chain_of({stage("gate"), stage("limiter")})));
    d.strips[1].fader = -3.5;
    d.strips[1].mute = true;
    d.strips.push_back(new_strip(d, StripRole::programme, chain_of({stage("ducking"), stage("compressor")})));
    d.strips[2].chain.stages[0].key = "voices";
    d.strips[2].chain.stages[1].key = d.strips[1].id;
    return s;
}

std::string said(const std::string& text) {
    const SceneReading r = read_scene(text);
    CHECK(r.scene.has_value() == r.problems.empty());
    std::string out;
    for (const auto& p : r.problems) out += p.text() + "\n";
    return out;
}

/// The scene's text with a change.
template <typename Change>
std::string changed(Change change) {
    json j = json::parse(write_scene(two_and_music()));
    change(j);
    return j.dump();
}

CommandResult cli(std::vector<std::string> arguments) {
    arguments.insert(arguments.begin(), REED_CLI);
    return run_command(arguments);
}

}  // namespace

TEST_CASE("a scene keeps a whole desk", "[scene][desk]") {
    const Scene s = two_and_music();
    const SceneReading r = read_scene(write_scene(s));
    REQUIRE(r.scene);
    CHECK(*r.scene == s);
    CHECK(r.version == kSceneVersion);
    // Peaks of the programme are no trouble; the remark about a voice names it.
    CHECK(r.remarks.empty());
    Scene open = s;
    open.desk.strips[1].chain.stages.pop_back();
    const auto remarks = read_scene(write_scene(open)).remarks;
    REQUIRE(remarks.size() == 1);
    CHECK_THAT(remarks[0], Catch::StartsWith("Guest: No active limiter"));
}

TEST_CASE("a scene keeps the soundcheck of a strip, and says what is wrong with it", "[scene][desk]") {
    Scene s = two_and_music();
    SoundcheckRecord& record = s.soundchecks[s.desk.strips[1].id];
    record = {"2026-11-10T20:15:00", "A list of “microphones”", -61.5, -27.3, 4.2, 0.31, {}, {}};
    record.takes = {{"silence", "a list.flac"}, {"talk", "talk.flac"}};
    const SceneReading r = read_scene(write_scene(s));
    REQUIRE(r.scene);
    CHECK(r.scene->soundchecks == s.soundchecks);
    CHECK(*r.scene == s);
    CHECK(scene_text(s).find("-61.5") != std::string::npos);
    REQUIRE(read_scene(scene_text(s)).scene);
    record.echo.reset();
    CHECK(read_scene(write_scene(s)).scene->soundchecks == s.soundchecks);
    const auto with = [&](const std::function<void(json&)>& change) {
        json j = json::parse(write_scene(s));
        change(j["strips"][1]["soundcheck"]);
        return said(j.dump());
    };
    CHECK(with([](json& c) { c = 3; }).find("strips[1].soundcheck") != std::string::npos);
    CHECK(with([](json& c) { c.erase("noise"); }).find("soundcheck.noise is missing") != std::string::npos);
    CHECK(with([](json& c) { c["speech"] = 300; }).find("soundcheck.speech") != std::string::npos);
    CHECK(with([](json& c) { c["echo"] = -1; }).find("soundcheck.echo") != std::string::npos);
    CHECK(with([](json& c) { c["takes"]["talk"] = 1; }).find("takes.talk") != std::string::npos);
    CHECK(with([](json& c) { c["microphone"] = std::string(201, 'x'); }).find("200") != std::string::npos);
    // Version 3 had none.
    json old = json::parse(write_scene(s));
    old["version"] = 3;
    CHECK(said(old.dump()).find("strips[1].soundcheck is an unknown field") != std::string::npos);
    old["strips"][1].erase("soundcheck");
    CHECK(said(old.dump()).empty());
}

TEST_CASE("a scene of version 1 is a desk of one voice, and its file is kept when it is saved",
          "[scene][desk]") {
    const TemporaryFolder folder;
    const std::string old =
        R"({"format":"dusky-reed-scene","version":1,"name":"Old","note":"n","stages":[{"kind":"gain","parameters":{"gain":3}},{"kind":"limiter"}]})";
    REQUIRE(write_file(folder.path("old.json"), old).ok());
    const SceneLibrary library(folder.folder());
    const auto there = library.list();
    REQUIRE(there.scenes.size() == 1);
    Scene s = there.scenes[0].scene;
    CHECK(there.scenes[0].version == 1);
    REQUIRE(s.desk.strips.size() == 1);
    CHECK(s.desk.strips[0].role == StripRole::voice);
    CHECK(s.chain().stages[0].value("gain") == 3);
    REQUIRE(library.save(s).ok());
    CHECK(load_scene(folder.path("old.json")).version == kSceneVersion);
    CHECK(read_file(folder.path("removed/old.json"), 100000).value() == old);
    // Once only: a file of today's version is written over.
    REQUIRE(library.save(s).ok());
    CHECK_FALSE(std::filesystem::exists(folder.path("removed/old-2.json")));
    CHECK_THAT(
        said(
            R"({"format":"dusky-reed-scene","version":1,"name":"x","stages":[{"kind":"gain","parameters":{"gain":300}}]})"),
        Catch::StartsWith("stages[0].parameters.gain: "));
}

TEST_CASE("what is wrong with the strips of a scene is named with its place", "[scene][desk]") {
    // A key that is left out is the usual one where there is a programme.
    const auto without = read_scene(changed([](json& j) { j["strips"][2]["stages"][0].erase("key"); }));
    REQUIRE(without.scene);
    CHECK(*without.scene == two_and_music());
    CHECK_THAT(said(changed([](json& j) { j["strips"][1]["role"] = "guest"; })),
               Catch::Contains("strips[1].role is unknown: \"guest\"; use voice or programme."));
    CHECK_THAT(said(changed([](json& j) { j["strips"][2]["stages"][1]["key"] = "nobody"; })),
               Catch::Contains("strips[2].stages[1].key: There is no strip \"nobody\""));
    CHECK_THAT(said(changed([](json& j) { j["strips"][0]["stages"][1]["key"] = "guest"; })),
               Catch::Contains("strips[0].stages[1].key is an unknown field."));
    CHECK_THAT(said(changed([](json& j) { j["strips"][0]["fader"] = "loud"; })),
               Catch::Contains("strips[0].fader holds text"));
    CHECK_THAT(said(changed([](json& j) { j["strips"][0]["fader"] = 40; })),
               Catch::Contains("strips[0].fader is outside -60 to 12."));
    CHECK_THAT(said(changed([](json& j) { j["strips"][0]["mute"] = 1; })), Catch::Contains("strips[0].mute"));
    CHECK_THAT(said(changed([](json& j) { j["strips"] = json::array(); })),
               Catch::Contains("missing or empty"));
    CHECK_THAT(said(changed([](json& j) { j["strips"][1] = 7; })), Catch::Contains("strips[1] is a number"));
    CHECK_THAT(said(changed([](json& j) { j["strips"][1]["id"] = j["strips"][0]["id"]; })),
               Catch::Contains("used twice"));
    CHECK_THAT(said(changed([](json& j) { j["strips"][1]["name"] = std::string(90, 'x'); })),
               Catch::Contains("strips[1].name is longer"));
    CHECK_THAT(said(changed([](json& j) { j["strips"][1]["colour"] = 8; })),
               Catch::Contains("strips[1].colour"));
    CHECK_THAT(said(changed([](json& j) { j["distance"]["least"] = -1; })),
               Catch::Contains("distance.least"));
    CHECK_THAT(said(changed([](json& j) { j["distance"] = 3; })), Catch::Contains("distance is a number"));
    CHECK_THAT(said(changed([](json& j) { j["stages"] = json::array(); })),
               Catch::Contains("stages is an unknown field"));
    CHECK_THAT(said(changed([](json& j) {
                   for (int i = 0; i < 3; ++i) {
                       j["strips"].push_back(j["strips"][2]);
                       j["strips"].back()["id"] = "p" + std::to_string(i);
                   }
               })),
               Catch::Contains("4 strips of the role \"programme\"; at most 2"));
}

TEST_CASE("the working state keeps the memories and inputs of every strip", "[scene][desk]") {
    WorkingState s;
    s.scene = two_and_music();
    s.input = {"pipewire", "mic-a"};
    s.inputs["guest"] = {"pipewire", "mic-b"};
    s.inputs["gone"] = {"file", "/x.wav"};
    s.input.channel = 3;
    s.input.offered = s.inputs["guest"].plain = true;
    s.inputs["guest"].monitor_db = -7.5;
    s.programs["Music player"] = "programme";
    s.rules = {{RecallRule::When::program_plays, "Game", "", "Loud", true},
               {RecallRule::When::device_is_there, "alsa_input.x", "Desk \"mic\"", "Quiet", false}};
    s.places[3] = {"guest", "compressor"};
    s.small_geometry = "abc";
    s.small_on_top = false;
    s.monitor_balance = -8.0;
    s.monitor_linked = true;
    s.latency = {60.0, 250.0};
    s.focused_strip = "programme";
    InactiveSettings other{"compressor", s.scene.chain().stages[0].values, {}, 'B'};
    other.values[0] = -30;
    s.memories["voice"]["compressor"] = other;
    other.values[0] = -35;
    s.memories["programme"]["compressor"] = other;
    const auto back = parse_working_state(write_working_state(s));
    REQUIRE(back.ok());
    CHECK(back.value().left_out.empty());
    CHECK(back.value().memories == s.memories);
    CHECK(back.value().inputs == s.inputs);
    CHECK(back.value() == s);
    // What is out of its range is brought into it; a part that is something else is named, the rest is there.
    json odd = json::parse(write_working_state(s));
    odd["input"]["channel"] = 1e9;
    odd["inputs"]["guest"]["heard_db"] = -400;
    odd["audio"]["fixed_latency_ms"] = -5;
    odd["audio"]["output_delay_ms"] = "long";
    odd["places"]["99"] = {{"strip", "x"}, {"stage", "y"}};
    odd["small_window"] = 5;
    odd["programs"] = {{"Music player", 5}};
    odd["rules"][1].erase("scene");
    const auto limited = parse_working_state(odd.dump());
    REQUIRE(limited.ok());
    CHECK(limited.value().input.channel == 64);
    CHECK(limited.value().inputs.at("guest").monitor_db == -60.0);
    CHECK(limited.value().latency == LatencySettings{});
    CHECK(limited.value().places == s.places);
    CHECK(limited.value().scene == s.scene);
    CHECK(limited.value().left_out.size() == 3);
    CHECK(limited.value().rules == std::vector{s.rules[0]});
    // As it was written before there were strips.
    json before = json::parse(write_working_state(s));
    before["memories"]["in_work"] = {{"compressor", "B"}};
    const auto old = parse_working_state(before.dump());
    REQUIRE(old.ok());
    CHECK(old.value().memories.at("voice").at("compressor").in_work == 'B');
}

TEST_CASE("render gives every strip, the sum and the ducked programme", "[cli][desk]") {
    const TemporaryFolder folder;
    Scene s = two_and_music();
    s.desk.strips[1].mute = false;
    REQUIRE(write_file(folder.path("s.json"), write_scene(s)).ok());
    const auto words = spoken_words();
    const double seconds = static_cast<double>(words.size()) / 48000.0;
    write_wav(folder.path("me.wav"), mono(words));
    write_wav(folder.path("music.wav"), stereo(noise(0.03, seconds, 1), noise(0.03, seconds, 2)));
    const auto r = cli({"render", "--scene", folder.path("s.json"), "--in", "Me=" + folder.path("me.wav"),
                        "--in", "programme=" + folder.path("music.wav"), "--out", folder.path("out")});
    INFO(r.err);
    REQUIRE(r.status == 0);
    const auto me = read_sound(folder.path("out/voice.wav")).value();
    const auto guest = read_sound(folder.path("out/guest.wav")).value();
    const auto sum = read_sound(folder.path("out/sum.wav")).value();
    const auto music = read_sound(folder.path("out/programme.wav")).value();
    CHECK(me.frames() == words.size());
    CHECK(music.channels() == 2);
    CHECK(peak(guest[0]) == 0.0);
    // In time with what came in: as the chain alone.
    CHECK(largest_difference(me[0], run(s.chain(), words)) < 1e-6);
    CHECK(sum.frames() == words.size());
    CHECK(db(rms(sum[0]) / rms(me[0])) == Approx(0.0).margin(0.3));
    // Ducked where the voice is: the programme under the first word is lower than before it.
    CHECK(db(rms(music[0], 60000, 14400) / rms(music[0], 10000, 14400)) < -3.5);

    // One strip as ever, and what can't be.
    const std::string scene = folder.path("s.json");
    CHECK(cli({"render", "--scene", scene, "--in", folder.path("me.wav"), "--out", folder.path("one.wav")})
              .status == 0);
    CHECK(largest_difference(read_sound(folder.path("one.wav")).value()[0], me[0]) < 1e-6);
    const auto refused = [&](const std::vector<std::string>& in, const std::string& why) {
        std::vector<std::string> all{"render", "--scene", scene, "--out", folder.path("no")};
        for (const auto& i : in) all.insert(all.end(), {"--in", i});
        const auto result = cli(all);
        CHECK(result.status == 2);
        CHECK_THAT(result.err, Catch::Contains(why));
        CHECK_FALSE(std::filesystem::exists(folder.path("no/sum.wav")));
    };
    refused({"nobody=" + folder.path("me.wav")},
            "nobody is not a strip of this scene. It has voice (Me), guest, programme");
    refused({folder.path("me.wav"), folder.path("music.wav")}, "needs its strip (STRIP=FILE)");
    refused({"me=" + folder.path("me.wav"), "voice=" + folder.path("me.wav")},
            "voice is given two input files.");
    refused({"me=" + folder.path("none.wav")}, "none.wav");
    write_wav(folder.path("slow.wav"), mono(words), 44100);
    refused({"me=" + folder.path("me.wav"), "guest=" + folder.path("slow.wav")},
            "has a different sample rate");
    // Never over an input.
    const auto over = cli({"render", "--scene", scene, "--in", "voice=" + folder.path("out/sum.wav"), "--in",
                           "guest=" + folder.path("me.wav"), "--out", folder.path("out")});
    CHECK(over.status == 2);
    CHECK_THAT(over.err, Catch::Contains("would be overwritten"));
}

TEST_CASE("the delay of a desk's render is whole, with every block size", "[desk][figures]") {
    const TemporaryFolder folder;
    Scene s = two_and_music();
    s.desk.strips[1].mute = false;
    s.desk.strips[1].chain = chain_of({stage("limiter", {{"lookahead", 10}})});
    const auto words = spoken_words();
    write_wav(folder.path("a.wav"), mono(words));
    std::vector<std::vector<float>> first;
    for (const int block : {17, 1024, 8192}) {
        DeskRender options;
        options.in = {{"voice", folder.path("a.wav")},
                      {"guest", folder.path("a.wav")},
                      {"programme", folder.path("a.wav")}};
        options.folder = folder.path("out" + std::to_string(block));
        options.block = block;
        const auto report = render_desk(s.desk, options, {});
        REQUIRE(report.ok());
        CHECK(report.value().latency > 480);
        std::vector<std::vector<float>> all{read_sound(report.value().sum).value()[0]};
        for (const auto& [id, path] : report.value().out) all.push_back(read_sound(path).value()[0]);
        if (first.empty()) first = all;
        for (size_t i = 0; i < all.size(); ++i) CHECK(largest_difference(all[i], first[i]) == 0.0);
    }
    DeskRender options;
    options.in = {{"voice", folder.path("a.wav")}};
    options.folder = folder.path("cancelled");
    CHECK_FALSE(render_desk(s.desk, options, [](double done) { return done < 0.5; }).ok());
    CHECK(std::filesystem::is_empty(folder.path("cancelled")));
}

TEST_CASE("balance says how far a programme is below a voice", "[cli][desk]") {
    const TemporaryFolder folder;
    const auto voice = sine(1000, db_to_gain(-20), 8), music = sine(1000, db_to_gain(-24), 8, 44100);
    write_wav(folder.path("v.wav"), stereo(voice, voice));
    write_wav(folder.path("p.wav"), stereo(music, music), 44100);
    const auto r =
        cli({"balance", "--voice", folder.path("v.wav"), "--programme", folder.path("p.wav"), "--json"});
    REQUIRE(r.status == 0);
    const json j = json::parse(r.out);
    CHECK(j["voice_lufs"].get<double>() == Approx(-20).margin(0.1));
    CHECK(j["programme_lufs"].get<double>() == Approx(-24).margin(0.1));
    CHECK(j["distance_lu"].get<double>() == Approx(4).margin(0.1));
    CHECK(j["verdict"] == "programme_near");
    const auto plain = cli({"balance", "--voice", folder.path("v.wav"), "--programme", folder.path("p.wav"),
                            "--min", "3", "--max", "5"});
    CHECK_THAT(plain.out, Catch::Contains("within the target of 3 to 5 LU"));
    write_wav(folder.path("q.wav"), mono(silence(8)));
    const json none = json::parse(
        cli({"balance", "--voice", folder.path("v.wav"), "--programme", folder.path("q.wav"), "--json"}).out);
    CHECK(none["distance_lu"].is_null());
    CHECK(none["programme_lufs"].is_null());
    CHECK(
        cli({"balance", "--voice", folder.path("v.wav"), "--programme", folder.path("nothing.wav")}).status ==
        2);
    CHECK_THAT(cli({"balance", "--voice", folder.path("v.wav"), "--programme", folder.path("p.wav"),
                    "--least", "20"})
                   .err,
               Catch::Contains("--min is greater than --max"));
}

TEST_CASE("levels and learn work on the strip that is named", "[cli][desk]") {
    const TemporaryFolder folder;
    Scene s = two_and_music();
    s.desk.strips[1].chain.stages.insert(s.desk.strips[1].chain.stages.begin(), stage("suppression"));
    REQUIRE(write_file(folder.path("s.json"), write_scene(s)).ok());
    write_wav(folder.path("room.wav"), mono(noise(0.003, 5, 4)));
    const auto r = cli({"levels", "--scene", folder.path("s.json"), "--strip", "Guest", "--in",
                        folder.path("room.wav"), "--json"});
    REQUIRE(r.status == 0);
    CHECK(json::parse(r.out)["stages"][1]["kind"] == "gate");
    CHECK(cli({"levels", "--scene", folder.path("s.json"), "--strip", "no", "--in", folder.path("room.wav")})
              .status == 2);
    const auto learnt = cli({"scene", "learn", "--scene", folder.path("s.json"), "--strip", "guest", "--in",
                             folder.path("room.wav"), "--out", folder.path("t.json")});
    INFO(learnt.err);
    REQUIRE(learnt.status == 0);
    CHECK_FALSE(load_scene(folder.path("t.json")).scene->desk.strips[1].chain.stages[0].taught.empty());
}
