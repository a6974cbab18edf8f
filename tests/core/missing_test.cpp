// Stages that can't be: of a kind that is not known here, or that could not be made.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "chain/chain.h"
#include "engine/render.h"
#include "scenes/working_state.h"
#include "support/command.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

using Json = nlohmann::json;  // whatever the order

constexpr const char* kForeign =
    R"({"kind":"formant_bank","id":"bank","title":"Räuber","parameters":{"depth":-3.25,"table":[1,2.5,{"a":null}],)"
    R"("big":9007199254740993,"name":"levels_dbfs: \"a list\""},"taught":{"levels_dbfs":[0.1,-70.05]},"later":true})";

std::string scene_text(const std::string& stages) {
    return R"({"format":"dusky-reed-scene","version":1,"name":"from elsewhere","stages":[)" + stages + "]}";
}

Scene with_foreign() {
    const auto read = read_scene(scene_text(std::string(R"({"kind":"gain","parameters":{"gain":6}},)") +
                                            kForeign + R"(,{"kind":"limiter"})"));
    REQUIRE(read.scene);
    return *read.scene;
}

}  // namespace

TEST_CASE("a stage of an unknown kind keeps its JSON through every reading and writing", "[scene]") {
    const Scene scene = with_foreign();
    REQUIRE(scene.chain().stages.size() == 3);
    const StageSpec& bank = scene.chain().stages[1];
    CHECK(bank.missing());
    CHECK(bank.id == "bank");
    CHECK(bank.shown_title() == "Räuber");
    const auto written = [](const Scene& s) { return Json::parse(write_scene(s))["strips"][0]["stages"][1]; };
    CHECK(written(scene) == Json::parse(kForeign));
    const auto again = read_scene(write_scene(scene));
    REQUIRE(again.scene);
    CHECK(*again.scene == scene);
    // What can be changed of it here is changed, and nothing else.
    Scene other = scene;
    other.chain().stages[1].bypass = true;
    other.chain().stages[1].title = "Robber";
    other.chain().stages[1].id = "bank_2";
    Json expected = Json::parse(kForeign);
    expected["id"] = "bank_2";
    expected["title"] = "Robber";
    expected["bypass"] = true;
    CHECK(written(other) == expected);
    const auto changed = read_scene(write_scene(other));
    REQUIRE(changed.scene);
    CHECK(changed.scene->chain().stages[1].bypass);
    CHECK(changed.scene->chain().stages[1].shown_title() == "Robber");
    // Without a name of its own it is called as its kind.
    const auto bare = read_scene(scene_text(R"({"kind":"formant_bank"},{"kind":"formant_bank"})"));
    REQUIRE(bare.scene);
    CHECK(bare.scene->chain().stages[0].shown_title() == "formant_bank");
    CHECK(bare.scene->chain().stages[1].id == "formant_bank_2");
    // And between evenings.
    WorkingState state;
    state.scene = scene;
    const auto kept = parse_working_state(write_working_state(state));
    REQUIRE(kept.ok());
    CHECK(kept.value().left_out.empty());
    CHECK(kept.value().scene == scene);
}

TEST_CASE("a taught stage beside one that holds the mark of a list comes out whole", "[scene]") {
    Scene scene = with_foreign();
    scene.name = "a list";
    scene.note = "a list_";
    StageSpec taught = stage("suppression");
    taught.taught = {{48000.0, 50.0}, std::vector<float>(20, -61.5f)};
    scene.chain().stages.push_back(taught);
    const auto again = read_scene(write_scene(scene));
    REQUIRE(again.scene);
    CHECK(*again.scene == scene);
}

TEST_CASE("what can't be passes the sound to the last bit, and says so", "[chain]") {
    const Scene scene = with_foreign();
    ChainSpec without = scene.chain();
    without.stages.erase(without.stages.begin() + 1);
    const auto sound = mono(noise(0.1, 0.5, 3));
    const auto a = render(scene.chain(), sound, 48000.0, 512);
    const auto b = render(without, sound, 48000.0, 512);
    REQUIRE(a.ok());
    REQUIRE(b.ok());
    CHECK(a.value()[0] == b.value()[0]);
    const auto chain = Chain::build(scene.chain(), {48000.0, 2});
    REQUIRE(chain.ok());
    CHECK(chain.value()->trouble(0) == nullptr);
    REQUIRE(chain.value()->trouble(1) != nullptr);
    CHECK_THAT(chain.value()->trouble(1), Catch::Contains("Unknown stage type"));
    const TapLevels nothing;
    const Finding found = scene.chain().stages[1].stage_kind().finding(
        {{}, scene.chain().stages[1].taught, nothing, nothing, {}});
    CHECK_THAT(std::string(found.words), Catch::Contains("settings are preserved"));
    // Without what it was read from there is nothing to keep.
    ChainSpec lost = scene.chain();
    lost.stages[1].foreign.clear();
    REQUIRE(chain_problems(lost).size() == 1);
    CHECK_THAT(chain_problems(lost)[0].what, Catch::Contains("unknown stage kind: \"formant_bank\""));
}

TEST_CASE("the command line says what is missing of a scene that is valid else", "[cli]") {
    TemporaryFolder folder;
    const std::string file = folder.path("scene.json");
    REQUIRE(write_file(file, write_scene(with_foreign())).ok());
    const auto checked = run_command({REED_CLI, "scene", "check", file});
    CHECK(checked.status == 0);
    CHECK_THAT(checked.out, Catch::Contains("stages[1].kind: unknown stage kind \"formant_bank\"") &&
                                Catch::Contains("settings are preserved") && Catch::Contains("Known: gain"));
}
