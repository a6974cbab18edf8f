// Scene files against the schema that is shipped, by a general-purpose validator (python3-jsonschema).
#include <catch2/catch.hpp>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <sstream>

#include "base/file.h"
#include "scenes/scene.h"
#include "scenes/scene_schema.h"
#include "stages/registry.h"
#include "support/command.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;
using nlohmann::json;

namespace {

/// What the validator says of each text.
std::vector<std::string> judged(const TemporaryFolder& folder, const std::vector<std::string>& texts) {
    std::vector<std::string> command{"/usr/bin/python3", REED_VALIDATOR, REED_SCHEMA};
    for (size_t i = 0; i < texts.size(); ++i) {
        const std::string path = folder.path(std::to_string(i) + ".json");
        REQUIRE(write_file(path, texts[i]).ok());
        command.push_back(path);
    }
    const auto r = run_command(command);
    INFO(r.err);
    REQUIRE(r.status == 0);
    std::istringstream lines(r.out);
    std::vector<std::string> out;
    for (std::string line; std::getline(lines, line);) out.push_back(line);
    REQUIRE(out.size() == texts.size());
    return out;
}

/// A stage of every kind, in as many voices as they need.
Scene everything() {
    Scene out;
    out.name = "Everything";
    for (const StageKind* kind : stage_kinds()) {
        StageSpec s = new_stage(out.chain(), *kind);
        // As far from its default as it goes.
        for (size_t i = 0; i < s.values.size(); ++i) s.values[i] = kind->parameters[i].maximum;
        out.chain().stages.push_back(s);
    }
    return out;
}

}  // namespace

TEST_CASE("the schema that is shipped is that of the catalogue", "[scene][reference]") {
    const auto shipped = read_file(REED_SCHEMA, 1 << 20);
    REQUIRE(shipped.ok());
    // Made anew by: build/bin/dusky-reed-cli scene schema > docs/scene.schema.json
    CHECK(shipped.value() == scene_schema());
    const auto told = run_command({REED_CLI, "scene", "schema"});
    CHECK(told.status == 0);
    CHECK(told.out == shipped.value());
}

TEST_CASE("what is written is valid by the schema, and what the reader refuses is not",
          "[scene][reference]") {
    const TemporaryFolder folder;
    std::vector<std::string> good{write_scene(everything())};
    for (const auto& entry : std::filesystem::directory_iterator(std::string(REED_DEMO_DATA) + "/scenes")) {
        // Those of the demo may be of an older version; saved, they are of this one.
        const auto scene = load_scene(entry.path().string());
        REQUIRE(scene.scene);
        good.push_back(write_scene(*scene.scene));
    }
    Scene noted = everything();
    noted.made_for["voice"] = {{-50, -30, -22, -16}, {{"gain", {-50, -30, -22, -16}}}, -20};
    noted.colour = 3;
    noted.group = "Evenings";
    good.front() = write_scene(noted);
    json foreign = json::parse(good[0]);
    foreign["strips"][0]["stages"].push_back({{"kind", "of the future"}, {"anything", {1, 2}}});
    good.push_back(foreign.dump());
    for (const std::string& word : judged(folder, good)) CHECK(word == "valid");

    std::vector<std::string> bad;
    const auto broken = [&](const char* pointer, const json& value) {
        json j = json::parse(good[0]);
        j[json::json_pointer(pointer)] = value;
        bad.push_back(j.dump());
    };
    broken("/format", "another");
    broken("/version", "3");
    broken("/note", 5);
    broken("/distance/least", 50);
    broken("/more", 1);
    broken("/colour", 8);
    broken("/group", 1);
    broken("/fade", 10.5);
    broken("/strips/0/made_for", {{"room", -50}});
    broken("/strips/0/made_for/room", -300);
    broken("/strips/0/made_for/stages/gain/loud", "very");
    broken("/strips", json::array());
    broken("/strips/0/role", "guest");
    broken("/strips/0/colour", 9);
    broken("/strips/0/fader", 13);
    broken("/strips/0/mute", "yes");
    broken("/strips/0/stages/0/bypass", 1);
    broken("/strips/0/stages/0/misspelt", 1);
    broken("/strips/0/stages/0/parameters/misspelt", 1);
    broken("/strips/0/stages/0/parameters/gain", 1000);
    broken("/strips/0/stages/0/parameters/gain", "loud");
    for (const std::string& word : judged(folder, bad)) CHECK(word.starts_with("invalid"));
    for (const std::string& text : bad) {
        INFO(text.substr(0, 200));
        CHECK_FALSE(read_scene(text).scene.has_value());
    }
    // Both agree about every parameter just outside its range.
    std::vector<std::string> outside;
    const Scene all = everything();
    for (size_t s = 0; s < all.chain().stages.size(); ++s) {
        for (const Parameter& p : all.chain().stages[s].stage_kind().parameters) {
            if (p.transient || p.kind != ValueKind::number) continue;
            json j = json::parse(good[0]);
            j["strips"][0]["stages"][s]["parameters"][std::string(p.id)] = p.maximum + 1.0;
            outside.push_back(j.dump());
            CHECK_FALSE(read_scene(outside.back()).scene.has_value());
        }
    }
    CHECK(outside.size() > 100);
    for (const std::string& word : judged(folder, outside)) CHECK(word.starts_with("invalid"));
}
