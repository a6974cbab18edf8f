// Characters: laid over a chain for a moment, and off it again as if nothing had been.
#include <catch2/catch.hpp>
#include <cmath>

#include "chain/chain.h"
#include "engine/engine.h"
#include "measure/loudness.h"
#include "scenes/library.h"
#include "support/realtime_guard.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

ChainSpec with_characters(std::vector<StageSpec> stages, std::vector<CharacterSpec> characters) {
    ChainSpec out = chain_of(stages);
    out.characters = std::move(characters);
    return out;
}

CharacterSpec character(const std::string& name, const std::vector<StageSpec>& stages) {
    return {name, chain_of(stages).stages};
}

/// Runs `x` in blocks of `block`; `changes`: from which frame on which character is on.
AudioBuffer run_over(ChainSpec spec, AudioBuffer sound,
                     const std::vector<std::pair<size_t, std::string>>& changes, size_t block = kSubBlock,
                     double rate = 48000) {
    auto chain = Chain::build(spec, {rate, sound.channels()});
    REQUIRE(chain.ok());
    for (size_t i = 0; i < sound.frames(); i += block) {
        for (const auto& [at, name] : changes) {
            if (at < i || at >= i + block) continue;
            ChainSpec next = spec;
            next.character = name;
            chain.value()->post_changes(spec, next);
            spec = next;
        }
        chain.value()->process(sound.block(i, static_cast<int>(std::min(block, sound.frames() - i))));
    }
    return sound;
}

double biggest_step(const std::vector<float>& x, size_t first, size_t last) {
    double most = 0.0;
    for (size_t i = first + 1; i < last; ++i)
        most = std::max(most, std::abs(static_cast<double>(x[i]) - static_cast<double>(x[i - 1])));
    return most;
}

double loudness(const std::vector<float>& left, const std::vector<float>& right = {}) {
    AudioBuffer b = right.empty() ? mono(left) : stereo(left, right);
    return measure_loudness(b, 48000).integrated.value();
}

/// Those that come with the program.
std::vector<CharacterSpec> ours() {
    std::vector<CharacterSpec> out;
    for (const SceneEntry& e :
         SceneLibrary(std::filesystem::path(REED_DEMO_DATA) / "characters").list().scenes)
        out.push_back({e.scene.name, e.scene.chain().stages});
    return out;
}

}  // namespace

TEST_CASE("a character is faded in and out in 30 ms, and leaves nothing behind", "[chain]") {
    for (const double rate : {44100.0, 48000.0, 192000.0}) {
        const auto x = sine(997, 0.25, 1.0, rate);
        const ChainSpec spec = with_characters({stage("gain", {{"gain", 3}})},
                                               {character("Soft", {stage("gain", {{"gain", -12}})})});
        const auto on = static_cast<size_t>(0.3 * rate) / kSubBlock * kSubBlock;
        const auto off = static_cast<size_t>(0.6 * rate) / kSubBlock * kSubBlock;
        const auto faded = static_cast<size_t>(0.031 * rate) + kSubBlock;
        const AudioBuffer plain = run_over(spec, mono(x), {}, kSubBlock, rate);
        const AudioBuffer y = run_over(spec, mono(x), {{on, "Soft"}, {off, ""}}, kSubBlock, rate);
        INFO(rate);
        for (size_t i = 0; i < on; ++i) REQUIRE(y[0][i] == plain[0][i]);
        // Not there yet after half of it, there after all of it.
        CHECK(db(rms(y[0], on + faded / 2, 200) / rms(plain[0], on + faded / 2, 200)) > -9.0);
        for (size_t i = on + faded; i < off; ++i)
            REQUIRE(y[0][i] == Approx(plain[0][i] * std::pow(10.0, -12.0 / 20.0)).margin(1e-5));
        for (size_t i = off + faded; i < x.size(); ++i) REQUIRE(y[0][i] == plain[0][i]);
        CHECK(biggest_step(y[0], on, off + faded) < 1.05 * biggest_step(plain[0], on, off));
    }
}

TEST_CASE("a character stands before the lid, wherever that is", "[chain]") {
    const auto x = noise(0.5, 1.0, 7);
    const CharacterSpec hot =
        character("Hot", {stage("saturation", {{"drive", 18}}), stage("gain", {{"gain", 12}})});
    for (const bool behind : {false, true}) {
        std::vector<StageSpec> stages{stage("gain"), stage("limiter", {{"ceiling", -6}})};
        if (behind) stages.push_back(stage("gain", {{"gain", -3}}));
        const AudioBuffer y = run_over(with_characters(stages, {hot}), mono(x), {{0, "Hot"}});
        CHECK(db(peak(y[0])) <= (behind ? -9.0 : -6.0) + 0.02);
    }
    // A chain without a lid has it at the end: after the mute of its last stage nothing could be heard.
    const AudioBuffer y = run_over(with_characters({stage("gain", {{"gain", -30}})},
                                                   {character("Ring", {stage("robot", {{"way", 1}})})}),
                                   mono(x), {{0, "Ring"}});
    CHECK(db(rms(y[0], 24000) / rms(x, 24000)) == Approx(-30.0).margin(1.0));
}

TEST_CASE("no character makes the voice louder by more than one LU", "[chain][figures]") {
    const auto x = spoken_words(2);
    const double before = loudness(x);
    std::vector<CharacterSpec> all = ours();
    REQUIRE(all.size() >= 10);
    all.push_back(character("Loud", {stage("gain", {{"gain", 20}})}));
    for (const CharacterSpec& c : all) {
        const ChainSpec spec = with_characters({}, {c});
        INFO(c.name);
        CHECK(loudness(run_over(spec, mono(x), {{0, c.name}})[0]) < before + 1.0);
        const AudioBuffer wide = run_over(spec, stereo(x, x), {{0, c.name}});
        CHECK(loudness(wide[0], wide[1]) < loudness(x, x) + 1.0);
        // And it is to be heard that it is on.
        CHECK(loudness(wide[0], wide[1]) > loudness(x, x) - 8.0);
    }
    // Half a decibel less than the voice where it would be louder: a short sentence is over before it is
    // weighed, and may be off by as much.
    const auto hiss = noise(0.1, 8.0, 4);
    const auto loud = run_over(with_characters({}, {all.back()}), mono(hiss), {{0, "Loud"}});
    CHECK(db(rms(loud[0], 240000) / rms(hiss, 240000)) == Approx(-0.45).margin(0.1));
}

TEST_CASE("what delays a voice leaves no hole when it comes and goes", "[chain]") {
    const auto x = noise(0.1, 2.0, 9);
    for (const CharacterSpec& c : ours()) {
        const ChainSpec spec = with_characters({}, {c});
        auto chain = Chain::build(spec, {48000, 1});
        REQUIRE(chain.ok());
        CHECK(chain.value()->latency() == 0);  // whatever is laid over it
        const AudioBuffer y = run_over(spec, mono(x), {{48000, c.name}, {72000, ""}});
        double least = 100.0;
        // Of what it is like on and off, in pieces of 10 ms.
        const double usual = std::min(rms(x, 0, 40000), rms(y[0], 60000, 11000));
        for (size_t i = 47000; i < 80000; i += 480) least = std::min(least, db(rms(y[0], i, 480) / usual));
        INFO(c.name);
        CHECK(least > -9.0);
        for (size_t i = 72000 + 4800; i < x.size(); ++i) REQUIRE(y[0][i] == x[i]);
    }
}

TEST_CASE("one character takes over from another, and none is a mixture of both for long", "[chain]") {
    const auto x = sine(500, 0.25, 1.0);
    const ChainSpec spec = with_characters({}, {character("Soft", {stage("gain", {{"gain", -6}})}),
                                                character("Softer", {stage("gain", {{"gain", -20}})})});
    const AudioBuffer y = run_over(spec, mono(x), {{9600, "Soft"}, {24000, "Softer"}, {25600, "Soft"}});
    CHECK(db(rms(y[0], 14400, 4800) / rms(x)) == Approx(-6.0).margin(0.1));
    CHECK(db(rms(y[0], 40000, 4800) / rms(x)) == Approx(-6.0).margin(0.1));
    CHECK(biggest_step(y[0], 9000, 47000) < 1.05 * biggest_step(x, 0, 9000));
    // A name that is not there is none.
    const AudioBuffer none = run_over(spec, mono(x), {{9600, "Nobody"}});
    CHECK((none[0] == x));
}

TEST_CASE("a character that comes back brings nothing along from the last time", "[chain]") {
    auto x = noise(0.1, 1.0, 6);
    append(x, silence(2.0));
    for (const CharacterSpec& c : ours()) {
        const AudioBuffer y =
            run_over(with_characters({}, {c}), mono(x), {{9600, c.name}, {48000, ""}, {96000, c.name}});
        INFO(c.name);
        CHECK(peak(y[0], 48000 + 4800) == 0.0);
    }
}

TEST_CASE("with a character on the result does not depend on the block size", "[chain]") {
    const auto x = noise(0.1, 0.5, 2);
    for (const CharacterSpec& c : ours()) {
        ChainSpec spec = with_characters({stage("gain"), stage("limiter")}, {c});
        spec.character = c.name;
        const AudioBuffer whole = run_over(spec, stereo(x, x), {}, 8192);
        INFO(c.name);
        for (const size_t block : {1, 33, 441}) {
            const AudioBuffer y = run_over(spec, stereo(x, x), {}, block);
            CHECK((y[0] == whole[0]));
            CHECK((y[1] == whole[1]));
        }
    }
}

TEST_CASE("characters come and go without memory, locks or broken sound", "[chain]") {
    ChainSpec spec = with_characters({stage("gain"), stage("limiter")}, ours());
    for (const int channels : {1, 2}) {
        auto chain = Chain::build(spec, {48000, channels});
        REQUIRE(chain.ok());
        AudioBuffer sound(channels, 48000 * 4);
        for (int c = 0; c < channels; ++c) sound[c] = noise(0.1, 4.0, 5);
        for (size_t i = 700; i < 48000 * 3; i += 999) sound[0][i] = std::nanf("");
        int allocations = 0, locks = 0;
        size_t n = 0;
        for (size_t i = 0; i < sound.frames(); i += 240) {
            if (i % 9600 == 0) {
                ChainSpec next = spec;
                next.character = n < spec.characters.size() ? spec.characters[n++].name : "";
                chain.value()->post_changes(spec, next);
                spec = next;
            }
            const RealtimeGuard guard;
            chain.value()->process(sound.block(i, 240));
            allocations += guard.allocations();
            locks += guard.locks();
        }
        CHECK(allocations == 0);
        CHECK(locks == 0);
        for (int c = 0; c < channels; ++c) {
            for (const float v : sound[c]) REQUIRE(std::isfinite(v));
        }
    }
}

TEST_CASE("a character that is turned while it is on is followed", "[chain]") {
    const auto x = sine(500, 0.25, 1.0);
    ChainSpec spec = with_characters({}, {character("Soft", {stage("gain", {{"gain", -6}})})});
    spec.character = "Soft";
    auto chain = Chain::build(spec, {48000, 1});
    REQUIRE(chain.ok());
    ChainSpec next = spec;
    next.characters[0].stages[0].set("gain", -20);
    CHECK(same_structure(spec, next));
    AudioBuffer y = mono(x);
    for (size_t i = 0; i < x.size(); i += 480) {
        if (i == 24000) chain.value()->post_changes(spec, next);
        chain.value()->process(y.block(i, 480));
    }
    CHECK(db(rms(y[0], 12000, 9600) / rms(x)) == Approx(-6.0).margin(0.1));
    CHECK(db(rms(y[0], 38400, 9600) / rms(x)) == Approx(-20.0).margin(0.1));
    next.characters[0].stages[0].bypass = true;
    CHECK(same_structure(spec, next));
    next.characters[0].name = "Other";
    CHECK_FALSE(same_structure(spec, next));
    next = spec;
    next.characters[0].stages.push_back(stage("reverb"));
    CHECK_FALSE(same_structure(spec, next));
}

TEST_CASE("a character that can't be is refused with its reason", "[chain]") {
    const auto problem = [](const ChainSpec& spec) {
        const auto all = chain_problems(spec);
        return all.empty() ? std::string() : all.front().text();
    };
    const CharacterSpec soft = character("Soft", {stage("gain")});
    CHECK_THAT(problem(with_characters({}, {soft, soft})),
               Catch::Contains("Two characters have the name \"Soft\"") && Catch::Contains("characters[1]"));
    CHECK_THAT(problem(with_characters({}, {character("Wild", {stage("gain", {{"gain", 400}})})})),
               Catch::Contains("characters[0].stages[0].parameters.gain"));
    StageSpec keyed = stage("ducking");
    keyed.key = kAllVoices;
    CHECK_THAT(problem(with_characters({}, {character("Keyed", {keyed})})),
               Catch::Contains("can't use a sidechain"));
    std::vector<CharacterSpec> many;
    for (size_t i = 0; i <= kMaxCharacters; ++i)
        many.push_back(character(std::to_string(i), {stage("gain")}));
    CHECK_THAT(problem(with_characters({}, many)), Catch::Contains("33 characters; at most 32"));
    many.pop_back();
    CHECK(problem(with_characters({}, many)).empty());
}

TEST_CASE("a chain that runs takes a character without being built anew, and a new one goes on with it",
          "[runner]") {
    Engine engine;
    ChainSpec spec = with_characters({stage("gain"), stage("limiter")},
                                     {character("Soft", {stage("gain", {{"gain", -12}})})});
    REQUIRE(engine.open({48000, 1}, spec).ok());
    const auto x = sine(500, 0.25, 20.0);
    size_t at = 0;
    const auto level = [&](double seconds) {
        std::vector<float> out;
        for (const auto end = at + static_cast<size_t>(seconds * 48000); at < end; at += 480) {
            AudioBuffer piece(1, 480);
            std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), 480, piece[0].begin());
            engine.process(piece.block(0, 480));
            append(out, piece[0]);
        }
        return db(rms(out, out.size() / 2) / rms(x));
    };
    CHECK(level(1.0) == Approx(0.0).margin(0.1));
    const auto serial = engine.chain().sounding();
    spec.character = "Soft";
    REQUIRE(engine.chain().follow(spec).ok());
    CHECK(engine.chain().settled());
    CHECK(level(0.5) == Approx(-12.0).margin(0.1));
    CHECK(engine.chain().sounding() == serial);
    // Another chain, as a recall brings: the character stays on.
    spec.stages.insert(spec.stages.begin(), stage("equalizer"));
    spec.stages.front().id = "eq";
    spec.stages.front().set("band1_on", 0);
    REQUIRE(engine.chain().follow(spec, Fade::scene).ok());
    for (int i = 0; i < 1000 && engine.chain().sounding() == serial; ++i) (void)level(0.01);
    REQUIRE(engine.chain().sounding() != serial);
    CHECK(level(0.5) == Approx(-12.0).margin(0.2));
    spec.character = "";
    REQUIRE(engine.chain().follow(spec).ok());
    CHECK(level(0.5) == Approx(0.0).margin(0.2));
}
