// The desk: strips together, their keys and delays, the sum and its lid.
#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <thread>

#include "base/decibel.h"
#include "measure/loudness.h"
#include "mixer/mixer_render.h"
#include "support/noises.h"
#include "support/realtime_guard.h"
#include "support/signals.h"
#include "support/suppressions.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Delays by so much, and kMore frames for its true peak, and does nothing else to what is below its ceiling.
StageSpec waits(double ms = 10.0) {
    return stage("limiter", {{"ceiling", 0}, {"lookahead", ms}});
}

constexpr int kMore = 6;

MixerSpec desk_of(const std::vector<std::pair<StripRole, ChainSpec>>& strips) {
    MixerSpec out;
    out.strips.clear();
    for (const auto& [role, chain] : strips) {
        StripSpec strip = new_strip(out, role, chain);
        for (StageSpec& s : strip.chain.stages) {
            if (s.key.empty() && role == StripRole::programme) s.key = s.stage_kind().default_sidechain;
        }
        out.strips.push_back(std::move(strip));
    }
    return out;
}

constexpr StripRole kVoice = StripRole::voice, kProgramme = StripRole::programme;

/// A desk as it runs, fed with whole sounds.
struct Running {
    std::shared_ptr<ChainBuilder> builder = std::make_shared<ChainBuilder>();
    Mixer desk;
    std::vector<AudioBuffer> sounds;
    AudioBuffer sum;

    Running(const MixerSpec& spec, std::vector<AudioBuffer> in, int feed_channels = 1)
        : sounds(std::move(in)) {
        std::vector<StreamFormat> formats;
        for (const auto& s : sounds) formats.push_back({48000, s.channels()});
        REQUIRE(desk.open({48000, feed_channels}).ok());
        const auto ready = set_up(desk, spec, formats, builder);
        REQUIRE(ready.ok());
        sum = AudioBuffer(feed_channels, sounds.front().frames());
    }
    void process(size_t from, int frames) {
        AudioBlock blocks[kMostStrips];
        for (size_t s = 0; s < sounds.size(); ++s) blocks[s] = sounds[s].block(from, frames);
        REQUIRE(desk.process({blocks, sounds.size()}, sum.block(from, frames)));
    }
    void run(int block = 256) {
        for (size_t i = 0; i < sum.frames(); i += static_cast<size_t>(block))
            process(i, static_cast<int>(std::min<size_t>(static_cast<size_t>(block), sum.frames() - i)));
    }
    /// What strip `s` gave, in time with what came in.
    std::vector<float> out(size_t s) {
        const auto strip = desk.strips()[s];
        const int late = strip->role() == kVoice ? desk.voices_latency() : strip->latency();
        return {sounds[s][0].begin() + late, sounds[s][0].end()};
    }
};

std::vector<float> shifted(const std::vector<float>& x, size_t by) {
    std::vector<float> out(x.size());
    std::copy(x.begin(), x.end() - static_cast<std::ptrdiff_t>(by),
              out.begin() + static_cast<std::ptrdiff_t>(by));
    return out;
}

}  // namespace

TEST_CASE("one voice on a desk is the voice alone, to the last bit", "[desk]") {
    const auto words = spoken_words();
    const ChainSpec chain = chain_of(
        {stage("gain", {{"gain", 6}}), stage("gate"), stage("equalizer"), stage("compressor"), waits(5)});
    Running desk(desk_of({{kVoice, chain}}), {mono(words)});
    desk.run(100);
    const auto alone = run(chain, words);
    const auto out = desk.out(0);
    CHECK(largest_difference({alone.begin(), alone.begin() + static_cast<long>(out.size())}, out) == 0.0);
    CHECK(largest_difference(desk.sounds[0][0], desk.sum[0]) == 0.0);
    CHECK(desk.desk.latency() == Chain::build(chain, {48000, 1}).value()->latency());
}

TEST_CASE("voices leave the desk aligned, and a programme with them", "[desk]") {
    std::vector<float> click(48000);
    click[20000] = 0.25f;
    // Delays of 10, none and 3 ms; the programme's own is 1.
    Running desk(desk_of({{kVoice, chain_of({waits(10)})},
                          {kVoice, chain_of({stage("gain")})},
                          {kVoice, chain_of({waits(3)})},
                          {kProgramme, chain_of({waits(1)})}}),
                 {mono(click), mono(click), mono(click), stereo(click, click)});
    desk.run(333);
    CHECK(desk.desk.voices_latency() == 480 + kMore);
    for (size_t s = 0; s < 4; ++s) {
        INFO("strip " << s);
        CHECK(desk.sounds[s][0][20480 + kMore] == Approx(0.25).margin(1e-4));
        CHECK(rms(desk.sounds[s][0], 0, 20480 + kMore) < 1e-7);
    }
    CHECK(desk.desk.strips()[3]->latency() == 480 + kMore);
    // All three meet at one sample of the sum, under its lid.
    const auto loudest = std::max_element(desk.sum[0].begin(), desk.sum[0].end()) - desk.sum[0].begin();
    CHECK(loudest == 20000 + desk.desk.latency());
    CHECK(desk.sum[0][static_cast<size_t>(loudest)] == Approx(0.75).margin(0.01));
}

TEST_CASE("two who shout at once stay under the lid of the sum", "[desk]") {
    const StageSpec lid = stage("limiter", {{"ceiling", -1}});
    Running desk(desk_of({{kVoice, chain_of({stage("gain", {{"gain", 20}}), lid})},
                          {kVoice, chain_of({stage("gain", {{"gain", 20}}), lid})}}),
                 {mono(spoken_words()), mono(spoken_words())});
    desk.run();
    REQUIRE(db(peak(desk.sounds[0][0])) > -2.0);
    LoudnessMeter meter({48000, 1});
    meter.add(desk.sum.block(0, static_cast<int>(desk.sum.frames())));
    CHECK(*meter.read().true_peak <= -1.0 + 0.05);
    CHECK(*meter.read().true_peak > -2.0);
}

TEST_CASE("what a stage listens to comes to it to the sample, whatever the delays", "[desk]") {
    auto speaks = silence(0.5);
    append(speaks, sine(300, 0.1, 0.5));
    append(speaks, silence(0.5));
    const auto music = noise(0.05, 1.5, 3);
    const StageSpec ducks = stage("ducking", {{"when", 1}, {"amount", 12}, {"attack", 20}, {"hold", 10}});
    StageSpec gate = stage("gate", {{"open_threshold", -30}, {"close_threshold", -36}});
    gate.key = "guest";
    StageSpec squeezes = stage("compressor", {{"threshold", -40}});
    squeezes.key = "voices";
    for (const StageSpec& keyed : {ducks, gate, squeezes}) {
        INFO(keyed.kind);
        std::vector<float> first;
        for (const double voice : {0.0, 1.0, 10.0}) {
            for (const double before : {0.0, 5.0}) {
                for (const double after : {0.0, 2.0}) {
                    ChainSpec programme;
                    if (before > 0.0) programme.stages.push_back(waits(before));
                    programme.stages.push_back(keyed);
                    if (after > 0.0) programme.stages.push_back(waits(after));
                    const auto chain = voice > 0.0 ? chain_of({waits(voice)}) : ChainSpec{};
                    Running desk(desk_of({{kVoice, chain}, {kProgramme, chain_of(programme.stages)}}),
                                 {mono(speaks), mono(music)});
                    desk.run(173);
                    auto out = desk.out(1);
                    out.resize(60000);
                    if (first.empty()) first = out;
                    INFO(voice << " ms of the voice, " << before << " before, " << after << " after");
                    CHECK(largest_difference(out, first) < 1e-6);
                }
            }
        }
        // It did something: the sound beneath the voice differs from that in the pause by more than 3 dB.
        const double beneath = db(rms(first, 30000, 15000)), pause = db(rms(first, 5000, 15000));
        CHECK(std::abs(beneath - pause) > 3.0);
    }
}

TEST_CASE("a desk gives the same for every block size", "[desk][figures]") {
    const auto words = spoken_words();
    StageSpec gate = stage("gate");
    gate.key = "guest";
    const MixerSpec spec = desk_of({{kVoice, chain_of({stage("compressor"), waits(4)})},
                                    {kVoice, chain_of({stage("expander")})},
                                    {kProgramme, chain_of({gate, stage("ducking")})}});
    std::vector<std::vector<float>> first;
    for (const int block : {1, 100, 480, 8192, 20000}) {
        Running desk(spec,
                     {mono(words), mono(shifted(words, 30000)), mono(make_music(words.size() / 48000.0))});
        for (auto& s : desk.sounds) s.resize(words.size());
        desk.run(block);
        std::vector<std::vector<float>> all{desk.sum[0]};
        for (auto& s : desk.sounds) all.push_back(s[0]);
        if (first.empty()) first = all;
        INFO(block);
        for (size_t i = 0; i < all.size(); ++i) CHECK(largest_difference(all[i], first[i]) == 0.0);
    }
}

TEST_CASE("ducking falls by its amount while somebody speaks, and comes back without haste", "[desk]") {
    const auto words = spoken_words();
    const double seconds = static_cast<double>(words.size()) / 48000.0;
    // A tone tells the gain at every moment.
    const auto tone = sine(1000, 0.1, seconds);
    for (const double when : {0.0, 1.0}) {
        INFO("when " << when);
        const StageSpec ducks =
            stage("ducking", {{"amount", 6}, {"when", when}, {"release", 50}, {"hold", 300}});
        Running desk(desk_of({{kVoice, {}}, {kProgramme, chain_of({ducks})}}), {mono(words), mono(tone)});
        desk.run();
        const auto out = desk.out(1);
        std::vector<double> gains;  // every 10 ms
        for (size_t i = 0; i + 480 <= out.size(); i += 480)
            gains.push_back(db(rms(out, i, 480) / rms(tone, i, 480)));
        const auto [lowest, highest] = std::minmax_element(gains.begin(), gains.end());
        CHECK(*lowest == Approx(-6.0).margin(0.5));
        CHECK(*highest == Approx(0.0).margin(0.1));
        // Every word: a fifth of a second after its loudest moment it is down.
        size_t words_heard = 0;
        for (size_t i = 30; i + 50 < gains.size(); i += 5) {
            if (rms(words, i * 480, 4800) < 0.05) continue;
            ++words_heard;
            CHECK(gains[i + 20] < -5.5);
        }
        CHECK(words_heard > 5);
        double fastest = 0.0;
        for (size_t i = 1; i < gains.size(); ++i)
            fastest = std::max(fastest, (gains[i] - gains[i - 1]) / 0.010);
        CHECK(fastest <= 20.5);
        CHECK(fastest > 15.0);
    }
}

TEST_CASE("ducking by speech lets keys be, by level it does not", "[desk]") {
    const auto keys = scaled(make_noise(Noise::keyboard, 6.0, 5), 0.05);
    const auto tone = sine(1000, 0.1, 6.0);
    const auto deepest = [&](double when) {
        const StageSpec ducks = stage("ducking", {{"amount", 6}, {"when", when}});
        Running desk(desk_of({{kVoice, {}}, {kProgramme, chain_of({ducks})}}), {mono(keys), mono(tone)});
        desk.run();
        double out = 0.0;
        for (size_t i = 0; i + 480 <= tone.size(); i += 480)
            out = std::min(out, db(rms(desk.sounds[1][0], i, 480) / rms(tone, i, 480)));
        return out;
    };
    CHECK(deepest(0.0) > -0.1);
    CHECK(deepest(1.0) < -5.5);
}

TEST_CASE("a change on one strip leaves the others as they are, to the last bit", "[desk]") {
    const auto words = spoken_words();
    const MixerSpec spec = desk_of({{kVoice, chain_of({stage("compressor")})},
                                    {kVoice, chain_of({stage("gate")})},
                                    {kProgramme, chain_of({stage("equalizer")})}});
    Running still(spec, {mono(words), mono(words), mono(words)});
    Running moved(spec, {mono(words), mono(words), mono(words)});
    still.run();
    const size_t half = words.size() / 2 / 256 * 256;
    for (size_t i = 0; i < words.size(); i += 256) {
        if (i == half) {
            const auto guest = moved.desk.strips()[1];
            REQUIRE(guest->engine()
                        .chain()
                        .follow(chain_of({stage("gate"), stage("compressor"), stage("gain")}))
                        .ok());
            while (!guest->engine().chain().settled()) std::this_thread::yield();
            guest->engine().set_fader(-20);
        }
        moved.process(i, static_cast<int>(std::min<size_t>(256, words.size() - i)));
    }
    CHECK(largest_difference(still.sounds[0][0], moved.sounds[0][0]) == 0.0);
    CHECK(largest_difference(still.sounds[2][0], moved.sounds[2][0]) == 0.0);
    CHECK(largest_difference(still.sounds[1][0], moved.sounds[1][0]) > 0.01);
}

TEST_CASE("a chain that becomes slower moves the others by a fade, without a click", "[desk]") {
    const auto tone = sine(200, 0.2, 1.5);
    Running desk(desk_of({{kVoice, {}}, {kVoice, {}}}), {mono(tone), mono(silence(1.5))});
    for (size_t i = 0; i < tone.size(); i += 240) {
        if (i == 24000) {
            const auto guest = desk.desk.strips()[1];
            REQUIRE(guest->engine().chain().follow(chain_of({waits(10)})).ok());
            while (!guest->engine().chain().settled()) std::this_thread::yield();
        }
        desk.process(i, 240);
    }
    // A step in the sound of a sine shows in its third differences.
    double largest = 0.0;
    const auto& x = desk.sounds[0][0];
    for (size_t i = 1000; i + 3 < x.size(); ++i)
        largest = std::max(largest,
                           std::abs(static_cast<double>(x[i + 3]) - 3.0 * x[i + 2] + 3.0 * x[i + 1] - x[i]));
    CHECK(largest < 1e-3);
    CHECK(largest_difference({x.begin() + 60000, x.end()},
                             {tone.begin() + 60000 - 480 - kMore, tone.end() - 480 - kMore}) < 1e-5);
}

TEST_CASE("six voices go over to another scene at once, and no word of any is cut or doubled",
          "[desk][figures]") {
    // Every strip says something else, and all of them get slower by 5 ms, or quicker.
    const ChainSpec early =
        chain_of({stage("gate", {{"open_threshold", -50}, {"close_threshold", -55}}),
                  stage("compressor", {{"threshold", -30}, {"ratio", 3}, {"makeup", 4}}), stage("limiter")});
    const ChainSpec late =
        chain_of({stage("gate", {{"open_threshold", -45}, {"close_threshold", -50}}),
                  stage("compressor", {{"threshold", -24}, {"ratio", 2}, {"makeup", 2}}),
                  stage("equalizer", {{"band5_gain", 4}}), stage("limiter", {{"lookahead", 8}})});
    const auto words = spoken_words();
    const auto desk_with = [](const ChainSpec& chain) {
        return desk_of(std::vector<std::pair<StripRole, ChainSpec>>(kMaxVoices, {kVoice, chain}));
    };
    std::vector<AudioBuffer> said;
    for (size_t s = 0; s < kMaxVoices; ++s) {
        auto own = words;
        std::rotate(own.begin(), own.begin() + static_cast<std::ptrdiff_t>(s * 31357), own.end());
        for (float& v : own) v *= 0.4F;  // six at once stay below the lid of the sum
        said.push_back(mono(own));
    }
    Running a(desk_with(early), said), b(desk_with(late), said);
    a.run();
    b.run();
    int judged = 0;
    for (const bool slower : {true, false}) {
        Running desk(desk_with(slower ? early : late), said);
        const size_t recalled = 2 * 48000 / 256 * 256;
        for (size_t i = 0; i < words.size(); i += 256) {
            if (i == recalled) {
                const auto strips = desk.desk.strips();
                for (const auto& strip : strips)
                    REQUIRE(strip->engine().chain().follow(slower ? late : early, Fade::over(1)).ok());
                for (const auto& strip : strips) {
                    while (!strip->engine().chain().settled()) std::this_thread::yield();
                }
            }
            desk.process(i, static_cast<int>(std::min<size_t>(256, words.size() - i)));
        }
        for (size_t s = 0; s <= kMaxVoices; ++s) {
            const auto of = [s](const Running& r) { return s < kMaxVoices ? r.sounds[s][0] : r.sum[0]; };
            const auto x = of(desk), one = of(a), other = of(b);
            for (size_t i = recalled; i + 4800 < std::min(x.size(), recalled + 96000); i += 2400) {
                INFO((slower ? "slower" : "quicker") << ", strip " << s);
                judged += check_as_loud_as(x, one, other, i) ? 1 : 0;
            }
        }
    }
    CHECK(judged > 200);
}

TEST_CASE("the desk's process neither allocates nor locks, while strips come and go", "[desk]") {
    const MixerSpec spec = desk_of({{kVoice, chain_of({stage("compressor"), stage("limiter")})},
                                    {kVoice, chain_of({stage("gate"), waits(4)})},
                                    {kProgramme, chain_of({stage("ducking")})}});
    const auto sound = spoken_words();
    Running desk(spec, {mono(sound), mono(sound), stereo(sound, sound)}, 2);
    int allocations = 0, locks = 0;
    const auto strips = desk.desk.strips();
    for (size_t i = 0; i + 256 <= sound.size(); i += 256) {
        if (i == 25600) desk.desk.arrange({strips[0]}, {0});
        if (i == 51200) desk.desk.arrange(strips, processing_order(spec));
        AudioBlock blocks[] = {desk.sounds[0].block(i, 256), desk.sounds[1].block(i, 256),
                               desk.sounds[2].block(i, 256)};
        const size_t n = i >= 25600 && i < 51200 ? 1 : 3;
        const AudioBlock feed = desk.sum.block(i, 256);
        const RealtimeGuard guard;
        const bool fits = desk.desk.process({blocks, n}, feed);
        allocations += guard.allocations();
        locks += guard.locks();
        REQUIRE(fits);
    }
    CHECK(allocations == 0);
    CHECK(locks == 0);
    AudioBlock one = desk.sounds[0].block(0, 256);
    CHECK_FALSE(desk.desk.process({&one, 1}, desk.sum.block(0, 256)));
    CHECK(peak(desk.sum[0], 0, 256) == 0.0);
}

TEST_CASE("strips come and go while the audio thread runs", "[desk][engine]") {
    MixerSpec spec = desk_of({{kVoice, chain_of({stage("gain")})}});
    Running desk(spec, {mono(sine(300, 0.1, 1.0))});
    std::atomic<bool> stop{false};
    std::atomic<std::int64_t> blocks{0};
    std::thread audio([&] {
        AudioBuffer work(1, 64 * kMostStrips);
        AudioBuffer sum(1, 64);
        while (!stop) {
            for (size_t n = 1; n <= 3; ++n) {
                AudioBlock sounds[3];
                for (size_t s = 0; s < n; ++s) sounds[s] = work.block(s * 64, 64);
                if (desk.desk.process({sounds, n}, sum.block(0, 64))) ++blocks;
            }
        }
    });
    const auto first = desk.desk.strips().front();
    for (int round = 0; round < 60; ++round) {
        std::vector<std::shared_ptr<Strip>> strips{first};
        for (int more = 0; more < round % 3; ++more) {
            auto strip = std::make_shared<Strip>("guest" + std::to_string(more), kVoice, desk.builder);
            auto prepared = Engine::prepare({48000, 1}, chain_of({stage("gain"), waits(1 + more)}));
            strip->open(std::move(prepared.value()));
            strips.push_back(std::move(strip));
        }
        std::vector<size_t> order;
        for (size_t i = 0; i < strips.size(); ++i) order.push_back(i);
        desk.desk.arrange(strips, order);
        const std::int64_t before = blocks;
        while (blocks < before + 3) std::this_thread::yield();
        desk.desk.tend();
    }
    stop = true;
    audio.join();
    SUCCEED();
}

TEST_CASE("faders, mute and channels of the strips", "[desk]") {
    const auto tone = sine(500, 0.1, 1.0);
    MixerSpec spec = desk_of({{kVoice, {}}, {kVoice, {}}, {kProgramme, {}}});
    spec.strips[0].fader = -6.0;
    spec.strips[1].mute = true;
    Running desk(spec, {mono(tone), mono(tone), stereo(tone, tone)}, 2);
    desk.run();
    CHECK(db(rms(desk.sum[0], 24000, 20000) / rms(tone)) == Approx(-6.0).margin(0.05));
    CHECK(largest_difference(desk.sum[0], desk.sum[1]) == 0.0);
    CHECK(peak(desk.sounds[1][0]) == 0.0);
    CHECK(peak(desk.sounds[2][1], 24000, 20000) == Approx(0.1).margin(1e-4));  // and not in the sum
    const auto& strip = *desk.desk.strips()[0];
    CHECK(strip.engine().feed_history()->written() == 48000);

    // Two channels of a voice become one of the feed.
    Running case_folded(desk_of({{kVoice, {}}}), {stereo(tone, silence(1.0))}, 1);
    case_folded.run();
    CHECK(db(rms(case_folded.sum[0]) / rms(tone)) == Approx(-6.02).margin(0.01));

    Engine engine;
    REQUIRE(engine.open({48000, 1}, {}).ok());
    engine.set_fader(kFaderMinDb);
    AudioBuffer sound = mono(tone);
    for (size_t i = 0; i < 48000; i += 480) engine.process(sound.block(i, 480));
    CHECK(peak(sound[0], 40000) == 0.0);
    CHECK(db(peak(sound[0], 0, 48)) > -26.0);  // by a fade, no click
}

TEST_CASE("what is wrong with a desk is named", "[desk]") {
    const auto said = [](const MixerSpec& d) {
        std::string out;
        for (const Error& e : mixer_problems(d)) out += e.text() + "\n";
        return out;
    };
    const MixerSpec good = desk_of({{kVoice, {}}, {kVoice, {}}, {kProgramme, chain_of({stage("ducking")})}});
    CHECK(said(good).empty());
    CHECK(good.strips[1].shown_name() == "Guest 2");
    CHECK(good.strips[1].colour != good.strips[0].colour);

    MixerSpec d = good;
    while (d.count(kVoice) < 7) d.strips.push_back(new_strip(d, kVoice));
    CHECK_THAT(said(d), Catch::Contains("7 strips of the role \"voice\"; at most 6"));
    d = good;
    d.strips[1].id = d.strips[0].id;
    CHECK_THAT(said(d), Catch::Contains("is used twice") && Catch::Contains("strips[1].id"));
    d = good;
    d.strips[0].id = "voices";
    CHECK_THAT(said(d), Catch::Contains("can't be a strip's id"));
    d = good;
    d.strips[2].chain.stages[0].key = "nobody";
    CHECK_THAT(said(d), Catch::Contains("no strip \"nobody\"") && Catch::Contains("strips[2].stages[0].key"));
    d = good;
    d.strips[0].chain = chain_of({stage("gate")});
    d.strips[1].chain = chain_of({stage("gate")});
    d.strips[0].chain.stages[0].key = d.strips[1].id;
    d.strips[1].chain.stages[0].key = d.strips[0].id;
    CHECK_THAT(said(d), Catch::Contains("form a loop"));
    d = good;
    d.strips[0].chain = chain_of({stage("gain")});
    d.strips[0].chain.stages[0].key = "voices";
    CHECK_THAT(said(d), Catch::Contains("has no sidechain"));
    d = good;
    d.strips[0].fader = 13;
    CHECK_THAT(said(d), Catch::Contains("-60 to 12 dB"));
    d = good;
    d.strips.erase(d.strips.begin(), d.strips.begin() + 2);
    CHECK_THAT(said(d), Catch::Contains("has no voice"));
    d = good;
    d.target_distance_min = 20;
    CHECK_THAT(said(d), Catch::Contains("0 to 40 LU"));
    d = good;
    d.strips[2].chain.stages[0].values[0] = 99;
    CHECK_THAT(said(d), Catch::Contains("strips[2].stages[0].parameters.amount"));

    // Voices run first, but for what one of them listens to.
    d = desk_of({{kProgramme, {}}, {kProgramme, {}}, {kVoice, chain_of({stage("gate")})}});
    CHECK(processing_order(d) == std::vector<size_t>{2, 0, 1});
    d.strips[2].chain.stages[0].key = d.strips[1].id;
    CHECK(processing_order(d) == std::vector<size_t>{1, 2, 0});
}
