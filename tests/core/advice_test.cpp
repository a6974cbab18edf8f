// What is said of the chain as a whole, and of thresholds with little to spare.
#include <catch2/catch.hpp>

#include "measure/findings.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {
std::string button(const FeedFinding& f) {
    return format_message(f.finding.proposal->words, f.finding.proposal->quantities);
}
}  // namespace

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
    CHECK(feed_finding(chain, r, std::nullopt, -16).finding.words.empty());
    // 27 LU too quiet: the gain brings the voice to -22, no more.
    const FeedFinding quiet = feed_finding(chain, r, -43, -16);
    CHECK(quiet.finding.tone == FindingTone::warning);
    CHECK(format_message(quiet.finding) == "27.0 LU too quiet.");
    REQUIRE(quiet.finding.proposal.has_value());
    CHECK(quiet.stage == 0);
    CHECK(quiet.finding.proposal->values[0].second == 18.0);
    CHECK(button(quiet) == "Raise gain by 16 dB");
    // When that is done, the rest is for the make-up.
    for (auto& t : r.taps) t.voice = -22;
    const FeedFinding rest = feed_finding(chain, r, -24, -16);
    REQUIRE(rest.finding.proposal.has_value());
    CHECK(rest.stage == 1);
    CHECK(rest.finding.proposal->values[0].second == 8.0);
    CHECK(button(rest) == "Raise make-up gain by 8 dB");
    CHECK(feed_finding(chain, r, -17, -16).finding.tone == FindingTone::good);
    CHECK_FALSE(feed_finding(chain, r, -17, -16).finding.proposal.has_value());
    // Too loud: what was put on last goes first, then the gain.
    chain.stages[1].set("makeup", 6);
    const FeedFinding loud = feed_finding(chain, r, -12, -16);
    CHECK(format_message(loud.finding) == "4.0 LU too loud.");
    REQUIRE(loud.finding.proposal.has_value());
    CHECK(button(loud) == "Lower make-up gain by 4 dB");
    CHECK(loud.finding.proposal->values[0].second == 2.0);
    chain.stages[1].set("makeup", 0);
    CHECK(button(feed_finding(chain, r, -12, -16)) == "Lower gain by 4 dB");
    // A stage that is bypassed is no help, and without any there is nothing to press.
    chain.stages[0].bypass = chain.stages[1].bypass = true;
    CHECK_FALSE(feed_finding(chain, r, -30, -16).finding.proposal.has_value());
    CHECK(format_message(feed_finding(chain, r, -30, -16).finding) == "14.0 LU too quiet.");
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
    const Finding a = stage_finding(chain, 0, r);
    CHECK(a.tone == FindingTone::neutral);
    // 33 dB apart, 8 of them between the thresholds: 12.5 dB on either side.
    CHECK_THAT(format_message(a), Catch::Contains("Margin only 1 dB: lower the threshold to -43.5 dBFS."));
    // The value that the button sets, with the same decimals.
    REQUIRE(a.proposal);
    CHECK(a.proposal->values[0].second == -43.5);
    CHECK(a.proposal->values[1].second == -51.5);
    for (auto& t : r.taps) t.room_high = -52;
    CHECK_THAT(format_message(stage_finding(chain, 0, r)), Catch::Contains("Margin only 1 dB"));
    for (auto& t : r.taps) t.room_high = -48;
    // Nowhere would there be six on both sides.
    CHECK(stage_finding(chain, 0, r).tone == FindingTone::good);
}

TEST_CASE("what is proposed for thresholds ends the complaint, whatever the room and the voice", "[levels]") {
    LevelReport r;
    r.taps.resize(2);
    r.stages.resize(1);
    TapLevels& in = r.taps[0];
    int proposals = 0;
    for (const char* kind : {"gate", "expander"}) {
        for (double room = -75; room <= -30; room += 5) {
            for (double voice = room + 2; voice <= -20; voice += 4) {
                for (const double opens : {-70.0, -50.0, -30.0}) {
                    in.room_known = in.voice_known = true;
                    in.room_high = room;
                    in.voice_low = voice;
                    ChainSpec chain = chain_of({stage(kind)});
                    const bool gate = chain.stages[0].kind == "gate";
                    chain.stages[0].set(gate ? "open_threshold" : "threshold", opens);
                    if (gate) chain.stages[0].set("close_threshold", opens - 8);
                    const Finding before = stage_finding(chain, 0, r);
                    INFO(kind << ", room " << room << ", quiet speech " << voice << ", at " << opens << ": "
                              << format_message(before));
                    if (!before.proposal) continue;
                    ++proposals;
                    for (const auto& [row, value] : before.proposal->values)
                        chain.stages[0].values[row] = value;
                    CHECK(chain_problems(chain).empty());
                    const Finding after = stage_finding(chain, 0, r);
                    INFO("then: " << format_message(after));
                    CHECK(after.tone == FindingTone::good);
                    CHECK_FALSE(after.proposal.has_value());
                }
            }
        }
    }
    CHECK(proposals > 200);
}

TEST_CASE("the other stages propose what they ask for", "[levels]") {
    LevelReport r;
    r.taps.resize(2);
    r.stages.resize(1);
    for (auto& t : r.taps) {
        t.room_known = t.voice_known = true;
        t.voice = -20;
        t.room = -60;
    }
    const auto proposed = [&](const StageSpec& s) {
        const Finding f = stage_finding(chain_of({s}), 0, r);
        return f.proposal ? format_message(f.proposal->words, f.proposal->quantities) : std::string();
    };
    // 3:1 takes two thirds of what reaches over the threshold; 12.5 dB are 6 too many.
    r.stages[0].usual = 12.5;
    CHECK(proposed(stage("compressor", {{"threshold", -30}, {"ratio", 3}})) == "Set threshold to -21 dBFS");
    r.stages[0].usual = 2.5;
    CHECK(proposed(stage("compressor", {{"threshold", -20}, {"ratio", 3}})) == "Set threshold to -26 dBFS");
    r.stages[0].usual = 6;
    CHECK(proposed(stage("compressor")).empty());
    // Where the value stands at its end already, there is nothing to press.
    r.stages[0].usual = 1;
    CHECK(proposed(stage("compressor", {{"threshold", -60}})).empty());
    r.taps[1].peak = 2;
    CHECK(proposed(stage("gain", {{"gain", 12}})) == "Gain 4 dB");
    r.taps[1].voice = -24;
    CHECK(proposed(stage("suppression", {{"amount", -30}})) == "Set amount to -18 dB");
    CHECK(proposed(stage("suppression", {{"removed", 1}})) == "Turn off");
}

TEST_CASE("figures are put into words in their places, and nothing else is", "[levels]") {
    const std::vector<Quantity> q{
        {-0.2}, {2345.0, Unit::hertz}, {41.6, Unit::percent}, {1.25, Unit::decibel, 1}};
    CHECK(format_message("{1} by {0} dB, {2}, {3}", q) == "2.345 kHz by 0 dB, 42%, 1.2");
    CHECK(format_message("{7} {x} {", q) == "{7} {x} {");
    CHECK(format_message("{0}", {}) == "{0}");
}
