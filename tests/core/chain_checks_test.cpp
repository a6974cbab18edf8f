// Checks of a whole chain: each problem is found, and mending it ends it.
#include "measure/chain_checks.h"

#include <catch2/catch.hpp>
#include <filesystem>

#include "scenes/scene.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

std::vector<std::string> ids(const ChainSpec& chain, const LevelReport& levels = {}, bool limited = true) {
    std::vector<std::string> out;
    for (const ChainCheck& c : chain_checks(chain, levels, limited)) out.emplace_back(c.finding.id);
    return out;
}

/// Its first problem is `id`, and its mended chain has not got it any more.
void finds(const ChainSpec& chain, const std::string& id) {
    CAPTURE(id);
    const auto checks = chain_checks(chain, {}, true);
    REQUIRE_FALSE(checks.empty());
    CHECK(checks.front().finding.id == id);
    CHECK_FALSE(checks.front().words.empty());
    CHECK(chain_problems(checks.front().mended).empty());
    for (const std::string& left : ids(checks.front().mended)) CHECK(left != id);
}

ChainSpec chain_with(const std::vector<StageSpec>& stages) {
    ChainSpec out;
    for (const StageSpec& s : stages) {
        StageSpec named = s;
        named.id = unique_stage_id(out, s.kind);
        out.stages.push_back(named);
    }
    return out;
}

}  // namespace

TEST_CASE("chain checks find each problem of the order, and mending it ends it") {
    const StageSpec limiter = stage("limiter");
    const StageSpec suppression = stage("suppression");
    const StageSpec gate = stage("gate");
    const StageSpec loud = stage("compressor", {{"makeup", 10.0}});
    const StageSpec eq = stage("equalizer");
    CHECK(ids(chain_with({suppression, gate, eq, loud, limiter})).empty());
    finds(chain_with({suppression, eq}), "no_limiter");
    finds(chain_with({suppression, limiter, eq}), "limiter_not_last");
    finds(chain_with({suppression, eq, suppression, limiter}), "suppression_twice");
    finds(chain_with({loud, suppression, limiter}), "suppression_after_makeup");
    finds(chain_with({gate, suppression, limiter}), "gate_before_suppression");
    // App audio and several voices have a limiter elsewhere; what is bypassed does nothing.
    CHECK(ids(chain_with({suppression, eq}), {}, false).empty());
    StageSpec off = eq;
    off.bypass = true;
    CHECK(ids(chain_with({suppression, limiter, off})).empty());
    StageSpec quiet = loud;
    quiet.set("makeup", 0.0);
    CHECK(ids(chain_with({quiet, suppression, limiter})).empty());
}

TEST_CASE("chain checks find a limiter that works on speech and make-up that lifts the noise") {
    const ChainSpec chain = chain_with({stage("compressor", {{"makeup", 12.0}}), stage("limiter")});
    LevelReport levels;
    levels.taps.resize(3);
    levels.stages.resize(2);
    for (TapLevels& t : levels.taps) t.room_known = t.voice_known = true;
    levels.taps[0].room = -70.0;
    levels.taps[1].room = levels.taps[2].room = -58.0;
    levels.stages[1].usual = 0.5;
    CHECK(ids(chain, levels).empty());
    levels.stages[1].usual = 4.0;
    auto found = chain_checks(chain, levels, true);
    REQUIRE(found.size() == 1);
    CHECK(found[0].finding.id == "limiter_on_speech");
    CHECK(found[0].mended.stages[0].value("makeup") == Approx(8.0));
    levels.stages[1].usual = 0.0;
    levels.taps[0].room = -56.0;
    levels.taps[1].room = levels.taps[2].room = -44.0;
    found = chain_checks(chain, levels, true);
    REQUIRE(found.size() == 1);
    CHECK(found[0].finding.id == "makeup_lifts_noise");
    CHECK(found[0].mended.stages[0].value("makeup") == Approx(6.0));
    // Levels of another chain are not judged.
    levels.taps.pop_back();
    CHECK(ids(chain, levels).empty());
}

TEST_CASE("chain checks say nothing of the order of any shipped scene or template") {
    for (const char* folder : {"scenes", "starting_points"}) {
        for (const auto& file :
             std::filesystem::directory_iterator(std::string(REED_DEMO_DATA) + "/" + folder)) {
            const SceneReading reading = load_scene(file.path().string());
            REQUIRE(reading.scene);
            size_t voices = 0;
            for (const StripSpec& s : reading.scene->desk.strips)
                voices += s.role == StripRole::voice ? 1 : 0;
            for (const StripSpec& s : reading.scene->desk.strips) {
                if (s.role != StripRole::voice) continue;
                CAPTURE(file.path().string(), s.id);
                CHECK(ids(s.chain, {}, voices == 1).empty());
            }
        }
    }
}
