// Scenes that come and go: of newer programs, in an order, in zips.
#include <zip.h>

#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <thread>

#include "base/file.h"
#include "scenes/library.h"
#include "scenes/scene_archive.h"
#include "support/command.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;
using nlohmann::json;

namespace {

Scene named(const std::string& name, double gain = 0.0) {
    Scene out;
    out.name = name;
    out.chain() = chain_of({stage("gain", {{"gain", gain}}), stage("limiter")});
    return out;
}

std::vector<std::string> names(const SceneLibrary& library) {
    std::vector<std::string> out;
    for (const SceneEntry& e : library.list().scenes) out.push_back(e.scene.name);
    return out;
}

/// A zip of these entries, by the library itself.
void write_zip(const std::string& path, const std::vector<std::pair<std::string, std::string>>& entries) {
    int code = 0;
    zip_t* zip = zip_open(path.c_str(), ZIP_CREATE | ZIP_TRUNCATE, &code);
    REQUIRE(zip != nullptr);
    for (const auto& [name, text] : entries) {
        if (name.back() == '/') {
            zip_dir_add(zip, name.c_str(), 0);
            continue;
        }
        REQUIRE(zip_file_add(zip, name.c_str(), zip_source_buffer(zip, text.data(), text.size(), 0), 0) >= 0);
    }
    REQUIRE(zip_close(zip) == 0);
}

}  // namespace

TEST_CASE("colour, group, fade and what a scene is made for come back as they were", "[scene]") {
    Scene s = named("All of it");
    CHECK_FALSE(json::parse(write_scene(s)).contains("colour"));
    s.colour = 5;
    s.group = "Evenings";
    s.fade = 2.5;
    s.made_for["voice"] = {
        {-50, -30, -22, -16}, {{"gain", {-50, -30, -22, -16}}, {"limiter", {-49, -29, -21, -15}}}, -20.5};
    const SceneReading r = read_scene(write_scene(s));
    REQUIRE(r.scene);
    CHECK(*r.scene == s);
    // What is wrong with them is named.
    const auto said = [&](const char* pointer, const json& value) {
        json j = json::parse(write_scene(s));
        j[json::json_pointer(pointer)] = value;
        const SceneReading broken = read_scene(j.dump());
        CHECK_FALSE(broken.scene);
        return broken.problems.empty() ? std::string() : broken.problems.front().text();
    };
    CHECK_THAT(said("/colour", 8), Catch::Contains("colour is outside 0 to 7."));
    CHECK_THAT(said("/fade", 11), Catch::Contains("fade is outside 0 to 10."));
    CHECK_THAT(said("/fade", "slow"), Catch::Contains("fade holds text"));
    CHECK_THAT(said("/group", std::string(90, 'x')), Catch::Contains("group is longer"));
    CHECK_THAT(said("/strips/0/made_for", 3), Catch::Contains("strips[0].made_for is a number"));
    CHECK_THAT(said("/strips/0/made_for/room", -500), Catch::Contains("strips[0].made_for.room"));
    CHECK_THAT(said("/strips/0/made_for/stages/gain", 1), Catch::Contains("made_for.stages.gain"));
    CHECK_THAT(said("/strips/0/made_for/more", 1), Catch::Contains("made_for.more is an unknown field"));
    json j = json::parse(write_scene(s));
    j["strips"][0]["made_for"].erase("quiet");
    CHECK_THAT(read_scene(j.dump()).problems.front().text(), Catch::Contains("made_for.quiet is missing"));
    // Version 2 had none of them.
    j = json::parse(write_scene(named("Old")));
    j["version"] = 2;
    CHECK_THAT(read_scene(j.dump()).problems.front().text(), Catch::Contains("is an unknown field"));
}

TEST_CASE("a scene as text has a line a stage, only what is not as it was made, and reads as the same",
          "[scene]") {
    Scene s = named("To a friend", 3.5);
    s.chain().stages.push_back(stage("compressor", {{"threshold", -30}}));
    s.chain().stages.back().bypass = true;
    s.chain().stages.insert(s.chain().stages.begin() + 1, stage("equalizer"));
    s.note = "With \"quotes\"\nand lines";
    s.made_for["voice"] = {{-50, -30, -22, -16}, {{"gain", {-50, -30, -22, -16}}}, -20};
    s.desk.strips.push_back(new_strip(s.desk, StripRole::programme, chain_of({stage("ducking")})));
    const std::string text = scene_text(s);
    const SceneReading r = read_scene(text);
    INFO(text);
    REQUIRE(r.scene);
    CHECK(*r.scene == s);
    CHECK(text.size() < write_scene(s).size() / 5);
    CHECK_THAT(text, Catch::Contains("{\"kind\":\"gain\",\"parameters\":{\"gain\":3.5}}"));
    CHECK_THAT(text, Catch::Contains("{\"kind\":\"limiter\"}"));
    CHECK_THAT(text, !Catch::Contains("group") && !Catch::Contains("distance"));
    // What was taught stays at home.
    s.chain().stages[0] = stage("suppression");
    s.chain().stages[0].taught = {{48000, 100}, std::vector<float>(32, -60.0f)};
    const SceneReading taught = read_scene(scene_text(s));
    REQUIRE(taught.scene);
    CHECK(taught.scene->chain().stages[0].taught.empty());
    for (const SceneEntry& e : SceneLibrary(std::string(REED_DEMO_DATA) + "/starting_points").list().scenes) {
        const SceneReading again = read_scene(scene_text(e.scene));
        REQUIRE(again.scene);
        CHECK(*again.scene == e.scene);
    }
}

TEST_CASE("what a newer version has more is kept and written back, and its file is not lost", "[scene]") {
    json j = json::parse(write_scene(named("From tomorrow", 3)));
    j["version"] = 9;
    j["weather"] = {{"sky", "grey"}};
    j["strips"][0]["pan"] = 0.25;
    j["strips"][0]["stages"][0]["sidecar"] = {1, 2, 3};
    j["strips"][0]["stages"][0]["parameters"]["sparkle"] = 0.5;
    j["strips"][0]["made_for"] = {{"room", -50}, {"quiet", -30},      {"usual", -22},
                                  {"loud", -16}, {"loudness", -20.0}, {"breath", -60}};
    const SceneReading r = read_scene(j.dump());
    REQUIRE(r.scene);
    CHECK(r.version == 9);
    REQUIRE_FALSE(r.remarks.empty());
    CHECK_THAT(r.remarks.front(), Catch::Contains("A newer Dusky Reed wrote it (version 9)"));
    // A change made here goes beside what is not known.
    Scene changed = *r.scene;
    changed.chain().stages[0].set("gain", 6.0);
    const json again = json::parse(write_scene(changed));
    CHECK(again["version"] == 9);
    CHECK(again["weather"]["sky"] == "grey");
    CHECK(again["strips"][0]["pan"] == 0.25);
    CHECK(again["strips"][0]["stages"][0]["sidecar"] == json({1, 2, 3}));
    CHECK(again["strips"][0]["stages"][0]["parameters"]["sparkle"] == 0.5);
    CHECK(again["strips"][0]["stages"][0]["parameters"]["gain"] == 6.0);
    CHECK(again["strips"][0]["made_for"]["breath"] == -60);
    const SceneReading twice = read_scene(again.dump());
    REQUIRE(twice.scene);
    CHECK(*twice.scene == changed);
    // What can't be understood is not guessed.
    json odd = j;
    odd["strips"][0]["stages"][0]["parameters"]["gain"] = "much";
    const SceneReading refused = read_scene(odd.dump());
    REQUIRE_FALSE(refused.scene);
    CHECK_THAT(refused.problems.front().text(), Catch::Contains("This scene was saved by a newer version"));
    // Saving over it keeps a copy: it may have meant more than is known here.
    const TemporaryFolder folder;
    REQUIRE(write_file(folder.path("from-tomorrow.json"), j.dump()).ok());
    const SceneLibrary library(folder.folder());
    REQUIRE(library.save(changed).ok());
    const auto kept = read_file(folder.path("removed/from-tomorrow.json"), kMaxSceneBytes);
    REQUIRE(kept.ok());
    CHECK(kept.value() == j.dump());
}

TEST_CASE("scenes are listed in the person's order, which goes with a rename", "[scene]") {
    const TemporaryFolder folder;
    const SceneLibrary library(folder.folder());
    for (const char* name : {"Bench", "Alder", "Copse", "Dike"}) REQUIRE(library.save(named(name)).ok());
    CHECK(names(library) == std::vector<std::string>{"Alder", "Bench", "Copse", "Dike"});
    REQUIRE(library.set_order({"Dike", "Gone", "BENCH"}).ok());
    CHECK(names(library) == std::vector<std::string>{"Dike", "Bench", "Alder", "Copse"});
    REQUIRE(library.save(named("Elm")).ok());
    REQUIRE(library.remove("Dike").ok());
    library.renamed("Dike", "Elm");
    CHECK(names(library) == std::vector<std::string>{"Elm", "Bench", "Alder", "Copse"});
    library.renamed("elm", "Elm tree");
    CHECK(read_file(folder.path("order.txt"), 1000).value() == "Elm tree\nGone\nBENCH\n");
    // A file that holds anything else is no order, and nothing is lost by it.
    REQUIRE(write_file(folder.path("order.txt"), std::string("\0\xff\n\n{]", 6)).ok());
    CHECK(names(library).size() == 4);
}

TEST_CASE("what another program writes into a scene is seen, however quickly it follows", "[scene]") {
    const TemporaryFolder folder;
    const SceneLibrary library(folder.folder());
    const auto path = library.save(named("Bench", 1)).value();
    const auto gain = [&] { return library.list().scenes.at(0).scene.chain().stages[0].value("gain"); };
    CHECK(gain() == 1.0);
    // In place, of the same length, within the same moment of the clock.
    const auto moment = std::filesystem::file_time_type::clock::now();
    for (int i = 2; i <= 9; ++i) {
        std::ofstream(path, std::ios::trunc) << write_scene(named("Bench", i));
        std::filesystem::last_write_time(path, moment);
        CHECK(gain() == i);
    }
    // With a time long ago it is not read again, but for a change of its time or size.
    const auto long_ago = std::filesystem::file_time_type::clock::now() - std::chrono::hours(2);
    std::filesystem::last_write_time(path, long_ago);
    CHECK(gain() == 9.0);
    std::ofstream(path, std::ios::trunc) << write_scene(named("Bench", 8));  // of the same size
    CHECK(gain() == 8.0);
    std::filesystem::last_write_time(path, long_ago);
    CHECK(gain() == 8.0);
    std::ofstream(path, std::ios::trunc) << write_scene(named("Bench", -4.5));
    CHECK(gain() == -4.5);
    // What can't be used is looked at again, though nothing of it tells another time.
    const std::string whole = write_scene(named("Bench", 2));
    std::ofstream(path, std::ios::trunc) << std::string(whole.size(), '{');
    std::filesystem::last_write_time(path, long_ago);
    CHECK(library.list().unreadable.size() == 1);
    std::ofstream(path, std::ios::trunc) << whole;
    std::filesystem::last_write_time(path, long_ago);
    CHECK(gain() == 2.0);
    REQUIRE(write_file(path, "{").ok());
    CHECK(library.list().scenes.empty());
    CHECK(library.list().unreadable.size() == 1);
    std::filesystem::remove(path);
    CHECK(library.list().unreadable.empty());
}

TEST_CASE("scenes travel in a zip and come in beside, over or without those that are there", "[scene]") {
    const TemporaryFolder folder;
    const std::string zip = folder.path("mine.zip");
    const std::vector<Scene> mine{named("Bench", 1), named("bench!", 2), named("Rain / tin 🌧", 3),
                                  named("Ünder", 4)};
    REQUIRE(write_scene_archive(zip, mine).ok());
    const auto read = read_scene_archive(zip);
    REQUIRE(read.ok());
    CHECK(read.value().problems.empty());
    CHECK(read.value().scenes == mine);
    CHECK_THAT(write_scene_archive(zip, {}).error().text(), Catch::Contains("at least one scene"));
    CHECK(read_scene_archive(zip).ok());  // what was there is there still
    const SceneLibrary library(folder.path("scenes"));
    REQUIRE(library.save(named("BENCH", 9)).ok());
    auto names_now = library.take_in(read.value().scenes, ConflictPolicy::keep_both);
    REQUIRE(names_now.ok());
    CHECK(names_now.value() == std::vector<std::string>{"Bench 2", "bench!", "Rain / tin 🌧", "Ünder"});
    names_now = library.take_in(read.value().scenes, ConflictPolicy::leave_out);
    REQUIRE(names_now.ok());
    CHECK(names_now.value() == std::vector<std::string>(4));
    names_now = library.take_in({named("bench", 5)}, ConflictPolicy::replace);
    REQUIRE(names_now.ok());
    const auto there = library.list();
    CHECK(there.scenes.size() == 5);
    CHECK(find_scene(there.scenes, "bench")->scene.chain().stages[0].value("gain") == 5.0);
    CHECK(
        std::filesystem::exists(folder.path("scenes/removed/bench.json")));  // the one that was written over
    // A name that is as long as can be still gets a number.
    const std::string longest = std::string(79, 'x') + "é";
    names_now = library.take_in({named(longest), named(longest)}, ConflictPolicy::keep_both);
    REQUIRE(names_now.ok());
    CHECK(names_now.value()[1] == std::string(78, 'x') + " 2");
}

TEST_CASE("zips that are bombs, climb out, or hold other things do no harm and are told", "[scene]") {
    const TemporaryFolder folder;
    const std::string zip = folder.path("odd.zip");
    std::string huge = write_scene(named("Huge"));
    huge.insert(huge.size() - 2, std::string(30'000'000, ' '));  // packs to a few kilobytes
    write_zip(zip, {{"../../outside.json", write_scene(named("Climber"))},
                    {"/etc/absolute.json", write_scene(named("../../up"))},
                    {"folder/", ""},
                    {"huge.json", huge},
                    {"notes.txt", "buy cane"},
                    {"other.json", R"({"format":"another","tracks":[]})"},
                    {"good.json", write_scene(named("Good"))}});
    const auto read = read_scene_archive(zip);
    REQUIRE(read.ok());
    CHECK(read.value().scenes.size() == 3);
    REQUIRE(read.value().problems.size() == 3);
    CHECK_THAT(read.value().problems[0].text(), Catch::Contains("huge.json unpacks to more than 1 MB"));
    CHECK_THAT(read.value().problems[1].text(), Catch::Contains("notes.txt"));
    CHECK_THAT(read.value().problems[2].text(), Catch::Contains("not a scene file"));
    const SceneLibrary library(folder.path("deep/scenes"));
    REQUIRE(library.take_in(read.value().scenes, ConflictPolicy::keep_both).ok());
    size_t files = 0;
    for (const auto& e : std::filesystem::recursive_directory_iterator(folder.folder())) {
        if (!e.is_regular_file() || e.path() == zip) continue;
        ++files;
        CHECK(e.path().parent_path() == folder.path("deep/scenes"));
    }
    CHECK(files == 3);
    // Too many, too much in all, damaged, no zip at all.
    std::vector<std::pair<std::string, std::string>> many(2001, {"", "{}"});
    for (size_t i = 0; i < many.size(); ++i) many[i].first = std::to_string(i);
    write_zip(zip, many);
    CHECK_THAT(read_scene_archive(zip).error().text(), Catch::Contains("holds 2001 files"));
    many.resize(120);
    for (auto& [name, text] : many) text.assign(2'000'000, ' ');
    write_zip(zip, many);
    CHECK_THAT(read_scene_archive(zip).error().text(), Catch::Contains("more than 100 MB"));
    REQUIRE(write_scene_archive(zip, {named("Whole")}).ok());
    const std::string whole = read_file(zip, 1 << 20).value();
    for (size_t cut = 0; cut < whole.size(); cut += 7) {
        REQUIRE(write_file(zip, whole.substr(0, cut)).ok());
        const auto broken = read_scene_archive(zip);
        CHECK((!broken.ok() || broken.value().scenes.empty()));
    }
    for (size_t i = 0; i < whole.size(); i += 3) {  // a bit of it turned round
        std::string bent = whole;
        bent[i] = static_cast<char>(bent[i] ^ 0x10);
        REQUIRE(write_file(zip, bent).ok());
        const auto broken = read_scene_archive(zip);
        if (broken.ok()) CHECK(broken.value().scenes.size() + broken.value().problems.size() <= 1);
    }
    REQUIRE(write_file(zip, write_scene(named("No zip"))).ok());
    CHECK_THAT(read_scene_archive(zip).error().text(), Catch::Contains("isn't a valid zip file"));
    CHECK_FALSE(read_scene_archive(folder.path("nothing.zip")).ok());
}

TEST_CASE("the command line packs scenes and unpacks them", "[scene][command]") {
    const TemporaryFolder folder;
    REQUIRE(write_file(folder.path("a.json"), write_scene(named("Bench", 1))).ok());
    REQUIRE(write_file(folder.path("b.json"), write_scene(named("Rain", 2))).ok());
    const auto cli = [&](std::vector<std::string> arguments) {
        arguments.insert(arguments.begin(), {REED_CLI, "scene"});
        return run_command(arguments);
    };
    REQUIRE(
        cli({"pack", folder.path("a.json"), folder.path("b.json"), "--out", folder.path("z.zip")}).status ==
        0);
    const std::string scenes = folder.path("scenes");
    const auto unpacked = cli({"unpack", folder.path("z.zip"), "--folder", scenes});
    CHECK(unpacked.status == 0);
    CHECK(unpacked.out == "Bench\nRain\n");
    CHECK(cli({"unpack", folder.path("z.zip"), "--folder", scenes, "--clash", "skip"}).out.empty());
    CHECK(cli({"unpack", folder.path("z.zip"), "--folder", scenes}).out == "Bench 2\nRain 2\n");
    const auto bad = cli({"unpack", folder.path("a.json"), "--folder", scenes});
    CHECK(bad.status == 2);
    CHECK_THAT(bad.err, Catch::Contains("isn't a valid zip file"));
}
