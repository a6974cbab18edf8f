#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <random>

#include "base/file.h"
#include "scenes/library.h"
#include "scenes/strict_json.h"
#include "scenes/working_state.h"
#include "stages/suppression.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

Scene example() {
    Scene s;
    s.name = "Rain \"on\" tin – größer";
    s.note = "line one\nline two";
    s.chain() =
        chain_of({stage("gain", {{"gain", 3.5}}), stage("gate", {{"hold", 123}}), stage("gate"),
                  stage("equalizer", {{"band3_type", 5}, {"band3_frequency", 4321.5}}), stage("limiter")});
    s.chain().stages[1].title = "Key clicks";
    s.chain().stages[2].bypass = true;
    return s;
}

std::string minimal(const std::string& stages) {
    return R"({"format":"dusky-reed-scene","version":1,"name":"x","stages":[)" + stages + "]}";
}

/// All problems in one text.
std::string problems(const std::string& json) {
    const SceneReading r = read_scene(json);
    CHECK((r.scene.has_value() == r.problems.empty()));
    std::string out;
    for (const auto& p : r.problems) out += p.text() + "\n";
    return out;
}

}  // namespace

TEST_CASE("a scene is read back exactly as it was written", "[scene]") {
    const Scene s = example();
    const SceneReading r = read_scene(write_scene(s));
    REQUIRE(r.scene);
    CHECK(*r.scene == s);

    // Random values of every kind.
    std::mt19937 random(7);
    std::uniform_real_distribution<double> position(0.0, 1.0);
    for (int round = 0; round < 50; ++round) {
        Scene any;
        any.name = "random";
        for (const auto* kind : stage_kinds()) {
            StageSpec spec = new_stage(any.chain(), *kind);
            for (size_t i = 0; i < spec.values.size(); ++i) {
                if (kind->parameters[i].transient) continue;
                spec.values[i] = position_to_value(kind->parameters[i], position(random));
            }
            any.chain().stages.push_back(spec);
        }
        const SceneReading back = read_scene(write_scene(any));
        REQUIRE(back.scene);
        REQUIRE(*back.scene == any);
    }
}

TEST_CASE("parameters that are not given have their defaults", "[scene]") {
    const SceneReading r = read_scene(minimal(R"({"kind":"gate","parameters":{"hold":50}})"));
    REQUIRE(r.scene);
    CHECK(r.scene->chain().stages[0].value("hold") == 50);
    CHECK(r.scene->chain().stages[0].value("range") == -30);
}

TEST_CASE("what is wrong with a scene is said with its place", "[scene]") {
    const std::vector<std::pair<std::string, std::string>> cases = {
        {"", "line 1"},
        {"{\n \"format\": oops", "line 2, column 12"},
        {"[1,2]", "a list, not a scene"},
        {"{}", "format"},
        {R"({"format":"other","version":1})", "not a scene file"},
        {R"({"format":"dusky-reed-scene","name":"x","stages":[]})", "version"},
        {R"({"format":"dusky-reed-scene","version":9,"name":"x","strips":[]})", "newer version"},
        {R"({"format":"dusky-reed-scene","version":40000,"name":"x","strips":[]})",
         "version is unknown: 40000"},
        {R"({"format":"dusky-reed-scene","version":0,"name":"x","stages":[]})", "version is unknown: 0"},
        {R"({"format":"dusky-reed-scene","version":"1","name":"x","stages":[]})", "version"},
        {R"({"format":"dusky-reed-scene","version":1,"stages":[]})", "name is missing"},
        {R"({"format":"dusky-reed-scene","version":1,"name":7,"stages":[]})", "name holds a number"},
        {R"({"format":"dusky-reed-scene","version":1,"name":"x"})", "stages"},
        {R"({"format":"dusky-reed-scene","version":1,"name":"x","colour":1,"stages":[]})",
         "colour is an unknown field"},
        {R"({"format":"dusky-reed-scene","version":1,"name":"x","name":"y","stages":[]})",
         "\"name\" is given twice"},
        {minimal("3"), "stages[0] is a number"},
        {minimal(R"({"kind":""})"), "stages[0].kind is empty"},
        {minimal(R"({"kind":7})"), "stages[0].kind holds a number"},
        {minimal(R"({"kind":"gate"},{"kind":"gate","parameters":{"ratio":3}})"),
         "stages[1].parameters.ratio is not a parameter of gate"},
        {minimal(R"({"kind":"compressor","parameters":{"ratio":45}})"),
         "stages[0].parameters.ratio: Ratio 45.0:1 is outside 1.0:1 to 20.0:1"},
        {minimal(R"({"kind":"compressor","parameters":{"ratio":"4"}})"), "holds text where a number belongs"},
        {minimal(R"({"kind":"compressor","parameters":{"ratio":null}})"), "holds null"},
        {minimal(R"({"kind":"compressor","parameters":{"ratio":NaN}})"), "not valid JSON"},
        {minimal(R"({"kind":"compressor","parameters":{"ratio":1e999}})"), "too large"},
        {minimal(R"({"kind":"compressor","parameters":{"detection":"ears"}})"), "one of: peak, rms"},
        {minimal(R"({"kind":"compressor","parameters":{"auto_makeup":1}})"), "true or false"},
        {minimal(R"({"kind":"gate","bypass":"no"})"), "stages[0].bypass"},
        {minimal(R"({"kind":"gate","id":"a"},{"kind":"gate","id":"a"})"), "used twice"},
        {std::string(500000, '['), "nested more than 10"},
        {std::string(10'000'000, '['), "larger than 1 MB"},
    };
    for (const auto& [json, expected] : cases) {
        INFO(json.substr(0, 120));
        CHECK_THAT(problems(json), Catch::Contains(expected));
    }
}

TEST_CASE("all problems of a scene are told, not only the first", "[scene]") {
    const std::string text = problems(
        minimal(R"({"kind":"gate","parameters":{"hold":-5,"attack":"x"}},{"kind":"gain","bypass":"nope"})"));
    CHECK_THAT(text,
               Catch::Contains("hold") && Catch::Contains("attack") && Catch::Contains("stages[1].bypass"));
}

TEST_CASE("what is of the moment only is not saved, and not taken from a file", "[scene]") {
    Scene s = example();
    s.chain().stages[3].set("listen", 2);
    const std::string text = write_scene(s);
    CHECK(text.find("listen") == std::string::npos);
    CHECK(read_scene(text).scene->chain() == without_transients(s.chain()));
    CHECK_THAT(problems(minimal(R"({"kind":"equalizer","parameters":{"listen":"band1"}})")),
               Catch::Contains("is not a parameter of equalizer"));
}

TEST_CASE("random damage to a scene file never crashes and never half-loads", "[scene]") {
    const std::string good = write_scene(example());
    std::mt19937 random(3);
    for (int i = 0; i < 3000; ++i) {
        std::string bad = good;
        for (int k = 0; k < 1 + i % 4; ++k) bad[random() % bad.size()] = static_cast<char>(random() % 256);
        if (i % 5 == 0) bad.resize(random() % bad.size());
        const SceneReading r = read_scene(bad);
        REQUIRE((r.scene.has_value() != !r.problems.empty()));
    }
}

TEST_CASE("the quick reader of JSON finds what the one finds that tells where a text is none", "[scene]") {
    const auto told = [](const auto& parse, const std::string& text) -> std::string {
        try {
            const auto found = parse(text, 4);
            return std::string(found.type_name()) + " " + found.dump();
        } catch (const RefusedJson& refused) {
            return refused.what;
        } catch (const std::exception& e) {
            return e.what();
        }
    };
    std::vector<std::string> texts{"",
                                   " ",
                                   std::string("[1]\0", 4),
                                   "null",
                                   "true",
                                   "-0",
                                   "0",
                                   "-7",
                                   "18446744073709551615",
                                   "18446744073709551616",
                                   "-9223372036854775809",
                                   "1e400",
                                   "1e-400",
                                   "0.1",
                                   "1e2",
                                   "-0.0",
                                   "NaN",
                                   "01",
                                   "1.",
                                   "\"\\ud83c\\udf99\"",
                                   "\"\\ud83c\"",
                                   "\"\xff\"",
                                   "\"a\tb\"",
                                   "[1, [2.5, {\"a\": [null]}], \"x\"]",
                                   "[[[[[1]]]]]",
                                   "{\"a\": 1, \"b\": {\"a\": 2}}",
                                   "{\"a\": 1, \"a\": 2}",
                                   "{\"a\": 1,}",
                                   "[1 2]",
                                   "{\"a\" 1}",
                                   "\xef\xbb\xbf[1]",
                                   "[1]\n\n x",
                                   "/* no */ 1",
                                   "[false, false, true]",
                                   "{\"b\": -1, \"a\": [0.125, 3]}"};
    for (const auto& file : std::filesystem::directory_iterator(REED_DEMO_DATA "/scenes"))
        texts.push_back(read_file(file.path(), kMaxSceneBytes).value());
    for (const std::string& text : texts) {
        INFO(text.substr(0, 60));
        CHECK(told(parse_strict, text) == told(parse_with_position, text));
    }
    CHECK(parse_strict("{\"b\": -1, \"a\": [0.125, 3]}", 4).dump() == R"({"b":-1,"a":[0.125,3]})");
    CHECK_THROWS_AS(parse_strict("[[[[[1]]]]]", 4), RefusedJson);
    CHECK_THROWS_AS(parse_strict("{\"a\": 1, \"a\": 2}", 4), RefusedJson);
}

TEST_CASE("a chain whose limiter is not last gets a remark", "[scene]") {
    Scene s = example();
    CHECK(read_scene(write_scene(s)).remarks.empty());
    std::swap(s.chain().stages[3], s.chain().stages[4]);
    REQUIRE(read_scene(write_scene(s)).remarks.size() == 1);
    s.chain().stages[3].bypass = true;
    CHECK_THAT(read_scene(write_scene(s)).remarks.at(0), Catch::Contains("peaks are not controlled"));
}

TEST_CASE("the library saves, lists, replaces and removes without losing anything", "[scene]") {
    const TemporaryFolder folder;
    const SceneLibrary library(folder.path("scenes"));
    CHECK(library.list().scenes.empty());
    Scene s = example();
    REQUIRE(library.save(s).ok());
    s.note = "changed";
    REQUIRE(library.save(s).ok());
    Scene other = s;
    other.name = "rain on TIN gr er";  // another name with the same file stem
    REQUIRE(library.save(other).ok());
    auto listed = library.list();
    REQUIRE(listed.scenes.size() == 2);
    CHECK(listed.scenes[0].scene.note == "changed");

    SECTION("a broken file is reported and left alone") {
        const std::string broken = folder.path("scenes") + "/broken.json";
        REQUIRE(write_file(broken, "{").ok());
        Scene named = s;
        named.name = "Broken";
        REQUIRE(library.save(named).ok());
        CHECK(read_file(broken, 100).value() == "{");
        CHECK(library.list().unreadable.size() == 1);
        CHECK(library.list().scenes.size() == 3);
    }
    SECTION("a removed scene can be found again") {
        REQUIRE(library.remove(s.name).ok());
        CHECK(library.list().scenes.size() == 1);
        size_t kept = 0;
        for (const auto& e : std::filesystem::directory_iterator(folder.path("scenes") + "/removed"))
            kept += e.is_regular_file();
        CHECK(kept == 1);
        CHECK_FALSE(library.remove(s.name).ok());
    }
    SECTION("a name is needed, and not too long a one") {
        s.name = "  ";
        CHECK_FALSE(library.save(s).ok());
        s.name = std::string(81, 'a');
        CHECK_FALSE(library.save(s).ok());
    }
    SECTION("an invalid chain is not saved over a good one") {
        s.chain().stages[0].values[0] = 1000;
        CHECK_FALSE(library.save(s).ok());
        CHECK(library.list().scenes.size() == 2);
    }
}

TEST_CASE("writing into an impossible place says so and leaves nothing behind", "[scene]") {
    const TemporaryFolder folder;
    REQUIRE(write_file(folder.path("file"), "old").ok());
    const auto failed = write_file(folder.path("file") + "/below/scene.json", "new");
    REQUIRE_FALSE(failed.ok());
    CHECK_THAT(failed.error().text(), Catch::Contains("can't be written"));
    CHECK(read_file(folder.path("file"), 10).value() == "old");
    CHECK_FALSE(read_file(folder.folder(), 10).ok());
    CHECK_FALSE(read_file(folder.path("none"), 10).ok());
    CHECK_FALSE(read_file(folder.path("file"), 2).ok());
}

TEST_CASE("the working state survives, and a broken one is set aside", "[scene]") {
    const TemporaryFolder folder;
    const std::string path = folder.path("state/session.json");
    CHECK_FALSE(load_working_state(path).value().has_value());
    WorkingState s;
    s.scene = example();
    s.input.kind = "pipewire";
    s.input.target = "alsa_input.desk";
    s.room["rain"] = 40;
    s.theme = "dawn";
    s.geometry = "AAEC";
    s.focused = "gate_2";
    s.window_seconds = 30;
    REQUIRE(save_working_state(path, s).ok());
    CHECK(*load_working_state(path).value() == s);

    for (const std::string bad : {"", "{", "[]", "{\"format\":\"dusky-reed-state\",\"version\":1}"}) {
        REQUIRE(write_file(path, bad).ok());
        const auto loaded = load_working_state(path);
        REQUIRE_FALSE(loaded.ok());
        CHECK_THAT(loaded.error().text(), Catch::Contains("was saved as"));
        CHECK_FALSE(std::filesystem::exists(path));
    }
    size_t kept = 0;
    for (const auto& e : std::filesystem::directory_iterator(folder.path("state")))
        kept += e.is_regular_file();
    CHECK(kept == 4);
}

TEST_CASE("a learnt room tone survives saving and loading, and a broken one is refused with its place",
          "[scene]") {
    Scene s;
    s.name = "taught";
    StageSpec taught = stage("suppression", {{"method", 2}});
    const auto learnt = learn_noise_profile(noise(0.01, 4.0, 5, 44100), 44100);
    REQUIRE(learnt.ok());
    taught.taught = memory_of(learnt.value());
    s.chain() = chain_of({taught, stage("limiter")});
    const std::string json = write_scene(s);
    const auto read = read_scene(json);
    REQUIRE(read.scene);
    CHECK(read.scene->chain() == s.chain());
    // 32 taught stages stay far below the largest scene file.
    CHECK(json.size() < kMaxSceneBytes / 64);

    const auto refused = [&](const std::string& from, const std::string& to) {
        std::string bad = json;
        const size_t at = bad.find(from);
        REQUIRE(at != std::string::npos);
        bad.replace(at, from.size(), to);
        const auto r = read_scene(bad);
        REQUIRE_FALSE(r.scene);
        return r.problems.front().text();
    };
    CHECK_THAT(refused("\"band_hz\": 50.0", "\"band_hz\": 0.1"),
               Catch::Contains("stages[0].room_tone") && Catch::Contains("1 to 1000 Hz"));
    CHECK_THAT(refused("\"sample_rate\": 44100.0", "\"sample_rate\": \"fast\""),
               Catch::Contains("stages[0].room_tone.sample_rate"));
    CHECK_THAT(refused("\"room_tone\": {", "\"room_tone\": {\"loudness\": 3, "), Catch::Contains("loudness"));
    CHECK_THAT(refused("\"kind\": \"suppression\"", "\"kind\": \"gate\""), Catch::Contains("stages[0]"));
}

TEST_CASE("names are counted in characters, as they are shown", "[scene]") {
    TemporaryFolder folder;
    const SceneLibrary library(folder.path("scenes"));
    const auto named = [](int letters) {
        Scene s = example();
        s.name.clear();
        for (int i = 0; i < letters; ++i) s.name += "ü";  // two bytes each
        s.chain().stages[0].title = s.name;
        return s;
    };
    REQUIRE(library.save(named(80)).ok());
    const SceneReading r = read_scene(write_scene(named(80)));
    REQUIRE(r.scene);
    CHECK(*r.scene == named(80));
    const auto refused = library.save(named(81));
    REQUIRE_FALSE(refused.ok());
    CHECK_THAT(refused.error().text(), Catch::Contains("longer than 80 characters"));
    CHECK_THAT(problems(write_scene(named(81))),
               Catch::Contains("name is longer") && Catch::Contains("title is longer"));
}

TEST_CASE("a stage asked for what it has not says so instead of reading beside its values", "[scene]") {
    StageSpec gate = stage("gate");
    CHECK_THROWS_AS(gate.value("ceiling"), std::out_of_range);
    CHECK_THROWS_AS(gate.set("ceiling", 1.0), std::out_of_range);
    gate.values.resize(1);
    CHECK_THROWS_AS(gate.value("hold"), std::out_of_range);
    gate.kind = "no_such_kind";
    CHECK_THROWS_AS(gate.value("hold"), std::out_of_range);
}
