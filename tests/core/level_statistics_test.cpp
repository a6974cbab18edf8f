#include <catch2/catch.hpp>
#include <chrono>
#include <numeric>
#include <thread>

#include "base/decibel.h"
#include "chain/chain.h"
#include "dsp/resample.h"
#include "engine/meter_reader.h"
#include "engine/render.h"
#include "measure/file_measure.h"
#include "measure/findings.h"
#include "measure/speech_level.h"
#include "support/noises.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Tap frames of one tap for a list of (seconds, level in dBFS).
LevelStatistics feed(const std::vector<std::pair<double, double>>& stretches, double window = 60) {
    LevelStatistics s(1, window);
    std::int64_t index = 0;
    for (const auto& [seconds, level] : stretches) {
        for (int i = 0; i < static_cast<int>(seconds * 100); ++i) {
            TapFrame f;
            f.index = index++;
            f.mean_square = static_cast<float>(dbfs_to_mean_square(level));
            f.peak = static_cast<float>(db_to_gain(level));
            s.push(f);
        }
    }
    return s;
}

}  // namespace

TEST_CASE("room and voice are told apart by level alone", "[levels]") {
    const auto s = feed({{2, -60}, {1, -20}, {1, -60}, {1, -26}, {1, -60}, {1, -14}, {1, -60}});
    const TapLevels t = s.report().taps[0];
    REQUIRE(t.room_known);
    REQUIRE(t.voice_known);
    CHECK(t.room == Approx(-60).margin(0.2));
    CHECK(t.room_high == Approx(-60).margin(0.2));
    CHECK(t.voice == Approx(-20).margin(0.5));
    CHECK(t.voice_low == Approx(-26).margin(0.5));
    CHECK(t.voice_high == Approx(-14).margin(0.5));
    CHECK(t.peak == Approx(-14).margin(0.01));
}

TEST_CASE("steady sound of one kind is room", "[levels]") {
    const TapLevels t = feed({{5, -45}}).report().taps[0];
    CHECK(t.room_known);
    CHECK_FALSE(t.voice_known);
    CHECK(t.room == Approx(-45).margin(0.2));
}

TEST_CASE("once the room is known, a long sentence without pause is still voice", "[levels]") {
    LevelStatistics s = feed({{3, -60}, {2, -20}}, 5);
    CHECK(s.report().taps[0].voice_known);
    for (int i = 500; i < 1100; ++i) {
        TapFrame f;
        f.index = i;
        f.mean_square = static_cast<float>(dbfs_to_mean_square(-20));
        s.push(f);
    }
    CHECK(s.report().taps[0].voice_known);
    CHECK_FALSE(s.report().taps[0].room_known);
    CHECK(s.report().speaking);
}

TEST_CASE("silence and an empty report are nothing to stumble over", "[levels]") {
    CHECK(LevelStatistics(3).report().taps.size() == 3);
    const TapLevels t = feed({{2, -400}}).report().taps[0];
    CHECK(t.room == kSilenceDb);
    CHECK(t.peak == kSilenceDb);
    CHECK(classify_by_level({}, 0).empty());
}

TEST_CASE("digital silence is neither room nor voice", "[levels]") {
    // A mute switch: one second in ten is zeros. Word, room, zeros.
    std::vector<std::pair<double, double>> stretches;
    for (int i = 0; i < 3; ++i) {
        for (const auto& s : std::vector<std::pair<double, double>>{
                 {2, -60}, {1, -22}, {2, -60}, {1, -22}, {3, -60}, {1, -400}})
            stretches.push_back(s);
    }
    const auto statistics = feed(stretches);
    const TapLevels t = statistics.report().taps[0];
    REQUIRE(t.room_known);
    REQUIRE(t.voice_known);
    CHECK(t.room == Approx(-60).margin(0.2));
    CHECK(t.room_high == Approx(-60).margin(0.2));
    CHECK(t.voice == Approx(-22).margin(0.2));
    // A room alone that is switched off now and then is still the room.
    const TapLevels alone = feed({{1, -400}, {5, -50}, {1, -400}, {3, -50}}).report().taps[0];
    REQUIRE(alone.room_known);
    CHECK_FALSE(alone.voice_known);
    CHECK(alone.room == Approx(-50).margin(0.2));
    // Nothing but zeros: nothing is known, and it is said.
    const LevelReport nothing = feed({{3, -400}}).report();
    CHECK_FALSE(nothing.taps[0].room_known);
    CHECK_FALSE(nothing.taps[0].voice_known);
    CHECK(input_finding(nothing, 0).tone == FindingTone::warning);
    CHECK_THAT(format_message(input_finding(nothing, 0)), Catch::Contains("digital silence"));
    const ChainSpec gate = chain_of({stage("gate")});
    LevelReport two = nothing;
    two.taps.push_back(two.taps[0]);
    two.stages.resize(1);
    CHECK_THAT(format_message(stage_finding(gate, 0, two)), Catch::Contains("digital silence"));
    // And of a file.
    std::vector<float> sound = silence(1.0);
    append(sound, noise(0.001, 6.0, 3));
    append(sound, silence(2.0));
    FileMeasure measure({48000, 1});
    AudioBuffer buffer = mono(sound);
    measure.add(buffer.block(0, static_cast<int>(sound.size())));
    REQUIRE(measure.result().noise_floor_dbfs);
    CHECK(*measure.result().noise_floor_dbfs == Approx(mean_square_to_dbfs(1e-6)).margin(0.5));
}

namespace {

/// Levels at the input of an empty chain for a sound, as the command line tells them.
TapLevels levels_of(const std::vector<float>& sound) {
    const TemporaryFolder folder;
    write_wav(folder.path("a.wav"), mono(sound));
    const auto report = file_levels({}, folder.path("a.wav"));
    REQUIRE(report.ok());
    return report.value().taps[0];
}

/// A noise of this RMS level in dBFS, as long as `like`.
std::vector<float> room(Noise which, double level, const std::vector<float>& like) {
    auto out = make_noise(which, static_cast<double>(like.size()) / 48000.0, 3);
    out.resize(like.size());
    for (float& x : out) x *= static_cast<float>(db_to_gain(level - 3.0103));
    return out;
}

}  // namespace

TEST_CASE("in a loud room the voice is still the voice, and the room the room", "[levels][figures]") {
    auto words = spoken_words();
    const auto active = speech_level(words, 48000);
    REQUIRE(active);
    for (float& x : words) x *= static_cast<float>(db_to_gain(-26.0 - active->active_dbfs));
    for (const Noise noise : {Noise::fan, Noise::rain}) {
        for (const double snr : {10.0, 5.0, 0.0}) {
            INFO(noise_name(noise) << " at " << snr << " dB");
            const TapLevels t = levels_of(mix(words, room(noise, -26.0 - snr, words)));
            REQUIRE(t.room_known);
            REQUIRE(t.voice_known);
            CHECK(t.room == Approx(-26.0 - snr).margin(2.0));
            // Above the room by what the voice adds to it.
            CHECK(t.voice > t.room + 1.0);
            CHECK(t.voice < -18.0);
        }
    }
}

TEST_CASE("where nobody talks there is no voice, however loud and uneven the room", "[levels][figures]") {
    const auto length = silence(12.0);
    for (const Noise noise : {Noise::keyboard, Noise::traffic, Noise::rain}) {
        INFO(noise_name(noise));
        const TapLevels t = levels_of(room(noise, -35.0, length));
        CHECK_FALSE(t.voice_known);
        CHECK(t.room_known);
    }
    // A room that grows louder is a louder room.
    auto grows = room(Noise::fan, -60.0, length);
    append(grows, room(Noise::fan, -35.0, length));
    const TapLevels t = levels_of(grows);
    CHECK_FALSE(t.voice_known);
    CHECK(t.room_high == Approx(-35.0).margin(2.0));
}

TEST_CASE("keys between words pull the voice's level nowhere", "[levels][figures]") {
    const auto words = spoken_words();
    const TapLevels alone = levels_of(mix(words, room(Noise::fan, -60.0, words)));
    const TapLevels typing =
        levels_of(mix(mix(words, room(Noise::fan, -60.0, words)), room(Noise::keyboard, -40.0, words)));
    REQUIRE(alone.voice_known);
    REQUIRE(typing.voice_known);
    CHECK(typing.voice == Approx(alone.voice).margin(1.5));
}

TEST_CASE("live, the statistics hear who speaks where no stage does", "[levels][figures]") {
    auto words = spoken_words(2);
    const auto active = speech_level(words, 48000);
    for (float& x : words) x *= static_cast<float>(db_to_gain(-26.0 - active->active_dbfs));
    const auto sound = mix(words, room(Noise::fan, -31.0, words));
    for (const double rate : {48000.0, 44100.0}) {
        INFO("at " << rate << " Hz");
        const auto heard = resample(sound, 48000.0, rate);
        Engine engine;
        REQUIRE(engine.open({rate, 1}, chain_of({stage("gain")})).ok());
        MeterReader readings(engine);
        readings.set_window(10.0);
        AudioBuffer work = mono(heard);
        const size_t block = 441;
        for (size_t i = 0; i + block <= heard.size(); i += block) {
            engine.process(work.block(i, static_cast<int>(block)));
            readings.poll();
        }
        REQUIRE(readings.levels().taps.size() == 2);
        const TapLevels& t = readings.levels().taps[0];
        REQUIRE(t.voice_known);
        REQUIRE(t.room_known);
        CHECK(t.room == Approx(-31.0).margin(2.0));
        CHECK(t.voice > t.room + 3.0);
        // Every piece is answered for, however little of it the detector has heard yet, and wherever in a
        // piece a later chain begins.
        for (const int late : {1, 100, 250, 400}) {
            INFO("a chain that begins " << late << " frames into a piece");
            AudioBuffer more(1, static_cast<size_t>(late));
            engine.process(more.block(0, late));
            REQUIRE(engine.chain()
                        .follow(chain_of(
                            std::vector<StageSpec>(static_cast<size_t>(2 + late % 3), stage("gain"))))
                        .ok());
            while (!engine.chain().settled()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
            work = mono(heard);
            for (size_t i = 0; i + block <= 4 * 48000; i += block) {
                engine.process(work.block(i, static_cast<int>(block)));
                readings.poll();
            }
            size_t unknown = 0;
            const auto& frames = readings.statistics().frames(0);
            for (size_t i = frames.size() - 100; i < frames.size(); ++i)
                unknown += frames[i].voice < 0.0f ? 1 : 0;
            CHECK(unknown == 0);
        }
    }
}

TEST_CASE("no threshold is advised where none can part room and words", "[levels]") {
    const ChainSpec gate = chain_of({stage("gate", {{"open_threshold", -42}, {"close_threshold", -50}})});
    LevelReport r;
    r.taps.resize(2);
    r.stages.resize(1);
    TapLevels& in = r.taps[0];
    in.room_known = in.voice_known = true;
    in.peak = -10;
    in.room_high = -30;
    in.voice_low = -31;
    in.voice = -24;
    const Finding advice = stage_finding(gate, 0, r);
    CHECK(advice.tone == FindingTone::warning);
    CHECK_THAT(format_message(advice), Catch::Contains("no threshold") && !Catch::Contains("Raise it"));
}

TEST_CASE("the window forgets", "[levels]") {
    CHECK(feed({{5, -10}, {12, -60}}, 10).report().taps[0].peak == Approx(-60).margin(0.01));
}

TEST_CASE("a gap in the readings starts them anew", "[levels]") {
    LevelStatistics s = feed({{2, -10}});
    TapFrame f;
    f.index = 500;
    s.push(f);
    CHECK(s.report().seconds == Approx(0.01));
}

TEST_CASE("speech in noise: the room is the noise, the voice is the speech", "[levels]") {
    const TemporaryFolder folder;
    const auto words = spoken_words();
    const double room_rms = 0.002;
    write_wav(folder.path("a.wav"), mono(mix(words, noise(room_rms, 30, 1))));
    const auto report = file_levels({}, folder.path("a.wav"));
    REQUIRE(report.ok());
    const TapLevels t = report.value().taps[0];
    CHECK(t.room == Approx(mean_square_to_dbfs(room_rms * room_rms)).margin(1.0));
    CHECK(t.voice > t.room + 25);
    CHECK(t.voice_low < t.voice);
    CHECK(t.voice < t.voice_high);
    CHECK(t.voice_high < t.peak);
}

TEST_CASE("advice says what the levels show", "[levels]") {
    const ChainSpec chain = chain_of({stage("gate", {{"open_threshold", -42}, {"close_threshold", -50}})});
    LevelReport r;
    r.taps.resize(2);
    r.stages.resize(1);
    TapLevels& in = r.taps[0];
    in.room_known = in.voice_known = true;
    in.room = -62;
    in.room_high = -60;
    in.voice_low = -34;
    in.voice = -28;
    CHECK(stage_finding(chain, 0, r).tone == FindingTone::good);
    in.room_high = -41;
    CHECK(format_message(stage_finding(chain, 0, r)) ==
          "Noise reaches -41 dBFS but the gate closes only below -50 dBFS, so noise gets through. Raise the "
          "closing threshold above -41 dBFS.");
    in.room_high = -60;
    in.voice_low = -45;
    CHECK_THAT(format_message(stage_finding(chain, 0, r)), Catch::Contains("gets cut off"));
    CHECK(stage_finding(chain, 5, r).words.empty());

    // 3 to 10 dB while talking: common practice, no source.
    const ChainSpec comp = chain_of({stage("compressor")});
    r.stages[0].usual = 6;
    CHECK(stage_finding(comp, 0, r).tone == FindingTone::good);
    r.stages[0].usual = 14;
    CHECK(stage_finding(comp, 0, r).tone == FindingTone::warning);

    in.peak = -14;
    CHECK(input_finding(r, 0).id == "no_voice");  // a new input is not judged at once
    r.seconds = kJudgeAfter;
    CHECK(input_finding(r, 0).tone == FindingTone::good);
    in.peak = -2;
    CHECK_THAT(format_message(input_finding(r, 0)), Catch::Contains("Too loud"));
    in.peak = -50;
    r.taps.back().peak = -40;
    CHECK_THAT(format_message(input_finding(r, 0)),
               Catch::Contains("Too quiet: peaks reach -50 dBFS, and -40 dBFS"));
    CHECK(input_finding(r, 0).tone == FindingTone::warning);
    in.peak = -33;
    CHECK(input_finding(r, 0).tone == FindingTone::neutral);
    // What the chain adds counts: raw peaks of -33 dBFS are right where they leave it at -10.
    r.taps.back().peak = -10;
    CHECK(input_finding(r, 0).tone == FindingTone::good);
    // And so does the noise: 10 dB above it no level is right.
    const double voice = in.voice;
    in.voice = in.room + 10;
    CHECK_THAT(format_message(input_finding(r, 0)), Catch::Contains("only 10 dB above the background noise"));
    in.voice = voice;
    CHECK_THAT(format_message(input_finding(r, 12)), Catch::Contains("clipping (12 samples)"));
}

TEST_CASE("advice for the other stages names the level and what to do", "[levels]") {
    LevelReport r;
    r.taps.resize(2);
    r.stages.resize(1);
    TapLevels& in = r.taps[0];
    TapLevels& out = r.taps[1];
    in.room_known = in.voice_known = out.room_known = out.voice_known = true;
    in.room = -50;
    out.room = -72;
    in.voice = out.voice = -20;
    in.peak = out.peak = -8;
    const auto advice = [&](const StageSpec& s) { return stage_finding(chain_of({s}), 0, r); };

    CHECK(format_message(advice(stage("suppression"))) ==
          "Background noise reduced by 22 dB, from -50 to -72 dBFS.");
    out.voice = -24;
    CHECK_THAT(format_message(advice(stage("suppression"))),
               Catch::Contains("The voice is reduced by 4 dB too"));

    CHECK(format_message(advice(stage("limiter", {{"ceiling", -3}}))) ==
          "Peaks stay 5 dB below the ceiling.");
    r.stages[0].deepest = 4;
    CHECK_THAT(format_message(advice(stage("limiter"))),
               Catch::Contains("Limited the loudest peaks by up to 4 dB"));
    r.stages[0].usual = 6;
    CHECK(advice(stage("limiter")).tone == FindingTone::warning);

    // Boosts within 4 dB: common practice, no source.
    CHECK(advice(stage("equalizer", {{"band2_gain", 3}})).words.empty());
    CHECK_THAT(format_message(advice(stage("equalizer", {{"band4_gain", 9}}))),
               Catch::Contains("kHz by 9 dB"));

    CHECK(advice(stage("gain")).words.empty());
    out.peak = 2;
    CHECK(format_message(advice(stage("gain"))) ==
          "Peaks reach 2 dBFS after this stage. Reduce the gain by 8 dB.");

    StageSpec off = stage("compressor");
    off.bypass = true;
    CHECK_THAT(format_message(advice(off)), Catch::Contains("Bypassed"));
    in.voice_known = false;
    CHECK(format_message(advice(stage("compressor"))) == "Waiting for speech.");
}

namespace {

/// What the taps of a running chain of one stage report of `in`.
LevelStatistics statistics_of(const ChainSpec& spec, const std::vector<float>& in) {
    auto chain = std::move(Chain::build(spec, {48000, 1}).value());
    TapQueue queue(8192);
    chain->set_tap_queue(&queue);
    LevelStatistics out(2, 30.0);
    AudioBuffer work = mono(in);
    for (size_t at = 0; at + 480 <= in.size(); at += 480) {
        chain->process(work.block(at, 480));
        for (TapFrame f; queue.try_dequeue(f);) out.push(f);
    }
    return out;
}

}  // namespace

TEST_CASE("the distribution of levels has a hump for the room and one for the voice", "[levels]") {
    const auto words = spoken_words();
    const auto in =
        mix(words, noise(0.001, static_cast<double>(words.size()) / 48000.0, 4));  // room at -57 dBFS
    const LevelStatistics statistics = statistics_of(chain_of({stage("gain", {{"gain", 6}})}), in);
    const auto before = statistics.distribution(0);
    const auto after = statistics.distribution(1);
    REQUIRE(before.room.size() == static_cast<size_t>(LevelDistribution::kBins));
    const auto top = [](const std::vector<float>& x) {
        return static_cast<int>(std::max_element(x.begin(), x.end()) - x.begin()) +
               LevelDistribution::kLowestBin;
    };
    CHECK(std::abs(top(before.room) + 57) <= 1);
    CHECK(top(after.room) - top(before.room) == 6);
    CHECK(top(before.voice) > -40);
    float sum = 0.0f;
    for (const float x : before.room) sum += x;
    for (const float x : before.voice) sum += x;
    CHECK((sum > 0.6f && sum <= 1.001f));  // what is neither is left out
    CHECK(LevelStatistics(2).distribution(0).room.empty());
}

TEST_CASE("a drawn distribution is smoothed over its neighbours and loses nothing") {
    std::vector<float> shares(LevelDistribution::kBins, 0.0f);
    shares[40] = 0.8f;  // inside
    shares[0] = 0.2f;   // at the lower end
    std::vector<double> drawn;
    for (size_t b = 0; b < shares.size(); ++b) drawn.push_back(LevelDistribution::smoothed(shares, b));
    CHECK(drawn[39] == Approx(0.2));
    CHECK(drawn[40] == Approx(0.4));
    CHECK(drawn[41] == Approx(0.2));
    CHECK(drawn[0] == Approx(0.15));
    CHECK(drawn[1] == Approx(0.05));
    CHECK(std::accumulate(drawn.begin(), drawn.end(), 0.0) == Approx(1.0));
    CHECK(LevelDistribution::level_of(0) == Approx(-89.5));
}

TEST_CASE("a gate set too high is seen to cut word ends, one set well is not", "[levels]") {
    const auto words = spoken_words();
    const auto in = mix(words, noise(0.0005, static_cast<double>(words.size()) / 48000.0, 4));
    const auto cuts = [&](double open, double close, double attack, double hold, double release) {
        return statistics_of(chain_of({stage("gate", {{"open_threshold", open},
                                                      {"close_threshold", close},
                                                      {"attack", attack},
                                                      {"hold", hold},
                                                      {"release", release},
                                                      {"lookahead", 0}})}),
                             in)
            .truncated_words(0);
    };
    CHECK(cuts(-50, -58, 2, 200, 200).empty());
    const auto high = cuts(-18, -19, 40, 0, 20);
    REQUIRE(high.size() >= 4);
    const auto beginnings =
        std::count_if(high.begin(), high.end(), [](const TruncatedWord& c) { return c.beginning; });
    CHECK(beginnings >= 2);
    CHECK(static_cast<size_t>(beginnings) < high.size());
    for (const auto& c : high) CHECK(c.lost_db >= 3.0);
    for (size_t i = 1; i < high.size(); ++i) CHECK(high[i].index >= high[i - 1].index);
}

TEST_CASE("what is within 150 ms of speech is neither room nor voice", "[levels]") {
    // Every word has a skirt of breath and reverberation 15 dB above the room: a guard's length of it does
    // not count, what is further away does.
    const auto room_beside = [](double skirt_seconds) {
        std::vector<std::pair<double, double>> stretches{{1, -60}};
        for (int i = 0; i < 6; ++i)
            stretches.insert(stretches.end(),
                             {{skirt_seconds, -45}, {0.5, -15}, {skirt_seconds, -45}, {0.5, -60}});
        const TapLevels t = feed(stretches).report().taps[0];
        REQUIRE(t.voice_known);
        REQUIRE(t.room_known);
        CHECK(t.voice == Approx(-15).margin(0.2));
        return t;
    };
    CHECK(room_beside(0.14).room == Approx(-60).margin(0.2));
    CHECK(room_beside(0.14).room_high == Approx(-60).margin(0.2));
    CHECK(room_beside(0.45).room_high == Approx(-45).margin(0.5));
}
