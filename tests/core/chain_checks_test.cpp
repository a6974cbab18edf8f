// Checks of a whole chain: each problem is found, and mending it ends it.
#include "measure/chain_checks.h"

#include <catch2/catch.hpp>
#include <filesystem>

#include "engine/render.h"
#include "scenes/scene.h"
#include "soundcheck/loudness_target.h"
#include "soundcheck/proposal.h"
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
    // More even speech, not less loudness: the advice on loudness would raise it again.
    CHECK(found[0].mended.stages[0].value("makeup") == 12.0);
    CHECK(found[0].mended.stages[0].value("threshold") == Approx(chain.stages[0].value("threshold") - 8.0));
    const ChainSpec bare = chain_with({stage("gain", {{"gain", 12.0}}), stage("limiter")});
    found = chain_checks(bare, levels, true);
    REQUIRE(found.size() == 1);
    CHECK(found[0].words.empty());  // nothing there that evens out
    levels.stages[1].usual = 0.0;
    levels.taps[0].room = -56.0;
    levels.taps[1].room = levels.taps[2].room = -44.0;
    found = chain_checks(chain, levels, true);
    REQUIRE(found.size() == 1);
    CHECK(found[0].finding.id == "makeup_lifts_noise");
    CHECK(found[0].mended.stages[0].kind == "suppression");
    CHECK(found[0].mended.stages[1] == chain.stages[0]);
    LevelReport four = levels;
    four.taps.insert(four.taps.begin(), levels.taps[0]);
    four.stages.emplace_back();
    found = chain_checks(found[0].mended, four, true);
    REQUIRE(found.size() == 1);
    CHECK(found[0].words.empty());  // a second suppression mends nothing
    // Levels of another chain are not judged.
    levels.taps.pop_back();
    CHECK(ids(chain, levels).empty());
}

TEST_CASE("chain checks relieve a limiter that works on speech at the same loudness", "[figures]") {
    // Words that a compressor hardly reaches, lifted into the limiter.
    StepRecordings steps;
    steps[SoundcheckStep::silence] = mono(noise(1e-4, 5.0, 3));
    auto words = spoken_words(2);
    words = mix(words, noise(1e-4, static_cast<double>(words.size()) / 48000.0, 4));
    steps[SoundcheckStep::talk] = mono(words);
    const auto joined = StepSound::join(steps);
    REQUIRE(joined.ok());
    const ChainSpec chain = chain_with({stage("compressor", {{"threshold", -14.0}, {"makeup", 20.0}}),
                                        stage("limiter", {{"ceiling", -6.0}})});
    const auto levels = sound_levels(chain, joined.value().sound(), 48000.0);
    REQUIRE(levels.ok());
    const LevelReport report = levels.value().report();
    REQUIRE(report.stages[1].usual > kLimiterOnSpeech);
    const auto found = chain_checks(chain, report, true);
    REQUIRE(found.size() == 1);
    const ChainFigures before = measure_chain(chain, joined.value()).value();
    ChainSpec mended = found[0].mended;
    REQUIRE(bring_to_loudness(mended, 0, joined.value().sound(), joined.value(), before.loudness).ok());
    const ChainFigures after = measure_chain(mended, joined.value()).value();
    CHECK(after.loudness == Approx(before.loudness).margin(0.5));
    CHECK(after.limiting < before.limiting - 0.5);
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

TEST_CASE("chain checks name the stage that speech does not leave") {
    LevelReport levels;
    levels.taps.resize(4);
    for (TapLevels& t : levels.taps) {
        t.voice_known = true;
        t.voice = -30.0;
    }
    CHECK_FALSE(silencing_stage(levels));
    levels.taps[2].voice = levels.taps[3].voice = -120.0;
    CHECK(silencing_stage(levels) == 1);
    levels.taps[3].voice_known = false;
    CHECK_FALSE(silencing_stage(levels));
    CHECK_FALSE(silencing_stage({}));
    // Soft speech is not gone, and what never came in was not taken by a stage.
    levels.taps[3].voice_known = true;
    levels.taps[3].voice = -70.0;
    CHECK_FALSE(silencing_stage(levels));
    for (TapLevels& t : levels.taps) t.voice = -90.0;
    CHECK_FALSE(silencing_stage(levels));
}

TEST_CASE("gain before a chain is that of its first stage, or a new one") {
    const ChainSpec gain = chain_with({stage("gain", {{"gain", 3.0}}), stage("gate"), stage("limiter")});
    const ChainSpec more = with_input_gain(gain, 8.0);
    CHECK(more.stages.size() == 3);
    CHECK(more.stages[0].value("gain") == 11.0);
    CHECK(chain_problems(with_input_gain(gain, 500.0)).empty());  // as far as its range goes
    const ChainSpec gate = chain_with({stage("gate"), stage("gain"), stage("limiter")});
    const ChainSpec added = with_input_gain(gate, -6.0);
    REQUIRE(added.stages.size() == 4);
    CHECK(added.stages[0].kind == "gain");
    CHECK(added.stages[0].value("gain") == -6.0);
    CHECK(chain_problems(added).empty());
    ChainSpec off = gain;
    off.stages[0].bypass = true;
    CHECK(with_input_gain(off, 2.0).stages.size() == 4);
}
