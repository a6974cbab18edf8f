// What is said of the chain as a whole, and of thresholds with little to spare.
#include <catch2/catch.hpp>

#include "measure/advice.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("the chain as a whole has a verdict with the one thing to turn first", "[levels]") {
    ChainSpec chain = chain_of({stage("gain", {{"gain", 2}}), stage("compressor"), stage("limiter")});
    LevelReport r;
    r.seconds = 10;
    r.taps.resize(4);
    r.stages.resize(3);
    for (auto& t : r.taps) {
        t.voice_known = true;
        t.voice = -38;
    }
    // Nothing is said before a voice was heard, or where the loudness is not known.
    CHECK(feed_verdict(chain, r, std::nullopt, -16).advice.text.empty());
    // 27 LU too quiet: the gain brings the voice to -22, no more.
    const Verdict quiet = feed_verdict(chain, r, -43, -16);
    CHECK(quiet.advice.tone == AdviceTone::warning);
    CHECK(quiet.advice.text == "27.0 LU too quiet.");
    REQUIRE(quiet.proposal.has_value());
    CHECK(quiet.proposal->stage == 0);
    CHECK(quiet.proposal->value == 18.0);
    CHECK(quiet.proposal->text == "Gain +16 dB");
    // When that is done, the rest is for the make-up.
    for (auto& t : r.taps) t.voice = -22;
    const Verdict rest = feed_verdict(chain, r, -24, -16);
    REQUIRE(rest.proposal.has_value());
    CHECK(rest.proposal->stage == 1);
    CHECK(rest.proposal->value == 8.0);
    CHECK(rest.proposal->text == "Make-up +8 dB");
    CHECK(feed_verdict(chain, r, -17, -16).advice.tone == AdviceTone::good);
    CHECK_FALSE(feed_verdict(chain, r, -17, -16).proposal.has_value());
    // Too loud: what was put on last goes first, then the gain.
    chain.stages[1].set("makeup", 6);
    const Verdict loud = feed_verdict(chain, r, -12, -16);
    CHECK(loud.advice.text == "4.0 LU too loud.");
    REQUIRE(loud.proposal.has_value());
    CHECK(loud.proposal->text == "Make-up -4 dB");
    CHECK(loud.proposal->value == 2.0);
    chain.stages[1].set("makeup", 0);
    CHECK(feed_verdict(chain, r, -12, -16).proposal->text == "Gain -4 dB");
    // A stage that is bypassed is no help, and without any there is nothing to press.
    chain.stages[0].bypass = chain.stages[1].bypass = true;
    CHECK_FALSE(feed_verdict(chain, r, -30, -16).proposal.has_value());
    CHECK(feed_verdict(chain, r, -30, -16).advice.text == "14.0 LU too quiet.");
}

TEST_CASE("a gate with little to spare on one side is told where it would have more", "[levels]") {
    const ChainSpec chain = chain_of({stage("gate", {{"open_threshold", -32}, {"close_threshold", -40}})});
    LevelReport r;
    r.seconds = 10;
    r.taps.resize(2);
    r.stages.resize(1);
    for (auto& t : r.taps) {
        t.room_known = t.voice_known = true;
        t.room_high = -64;
        t.voice_low = -31;
    }
    const Advice a = stage_advice(chain, 0, r);
    CHECK(a.tone == AdviceTone::neutral);
    // 33 dB apart, 8 of them between the thresholds: 12.5 dB on either side.
    CHECK_THAT(a.text, Catch::Contains("Only 1 dB to spare: better at -44 dB, lower."));
    for (auto& t : r.taps) t.room_high = -52;
    CHECK_THAT(stage_advice(chain, 0, r).text, Catch::Contains("Only 1 dB to spare"));
    for (auto& t : r.taps) t.room_high = -48;
    // Nowhere would there be six on both sides.
    CHECK(stage_advice(chain, 0, r).tone == AdviceTone::good);
    // And a microphone that is low is told, though it can be heard.
    r.taps[0].peak = -20;
    CHECK(input_advice(r, 0).tone == AdviceTone::neutral);
    CHECK_THAT(input_advice(r, 0).text, Catch::Contains("8 dB below the usual"));
}
