// Tone: where it puts its bands, what they do, and what is told of the voice.
#include <catch2/catch.hpp>
#include <cmath>

#include "base/decibel.h"
#include "chain/chain.h"
#include "measure/loudness.h"
#include "stages/equalizer.h"
#include "stages/tone.h"
#include "support/signals.h"
#include "support/vowel.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Runs and gives what it tells at the end.
std::vector<float> told(const StageSpec& tone, const std::vector<float>& x, double rate = 48000,
                        AudioBuffer* out = nullptr) {
    auto chain = Chain::build(chain_of({tone}), {rate, 1});
    REQUIRE(chain.ok());
    AudioBuffer sound = mono(x);
    for (size_t i = 0; i + 480 <= x.size(); i += 480) chain.value()->process(sound.block(i, 480));
    if (out != nullptr) *out = sound;
    return chain.value()->readouts(0);
}

StageSpec tone(const std::vector<std::pair<std::string, double>>& values) {
    return stage("tone", values);
}

}  // namespace

TEST_CASE("at rest tone is the sound, and its bands do what they say", "[reference]") {
    const auto x = noise(0.05, 3.0, 4);
    CHECK(largest_difference(run(chain_of({tone({})}), x), x) < 1e-6);
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const auto& [row, at] : {std::pair{"body", 110.0}, {"clarity", 3800.0}}) {
            const StageSpec spec = tone({{row, 4}, {"follow", 0}});
            // Against its own far end: the loudness is kept, so all of it is turned.
            const auto at_centre =
                tone_amplitude(run(chain_of({spec}), sine(at, 0.1, 2.0, rate), rate), at, rate, 24000);
            CHECK(tone_gain(spec.values, 110.0, 3800.0, at, rate) == Approx(4.0).margin(0.05));
            CHECK(tone_gain(spec.values, 110.0, 3800.0, 800.0, rate) == Approx(0.0).margin(0.7));
            CHECK(at_centre > 0.0);
        }
    }
    // Noise in two bands: by how much more one is turned than the other.
    const StageSpec spec = tone({{"clarity", -5}, {"follow", 0}});
    const auto y = run(chain_of({spec}), x);
    const auto ratio = [](const std::vector<float>& s) {
        return db(tone_amplitude(s, 3800, 48000, 48000) / tone_amplitude(s, 500, 48000, 48000));
    };
    const auto tones = mix(sine(3800, 0.05, 4.0), sine(500, 0.05, 4.0));
    CHECK(ratio(run(chain_of({spec}), tones)) - ratio(tones) ==
          Approx(-5.0 - tone_gain(spec.values, 110.0, 3800.0, 500.0, 48000)).margin(0.1));
}

TEST_CASE("body stands at the pitch of the voice, and goes along with another voice",
          "[reference][figures]") {
    for (const double rate : {44100.0, 48000.0, 192000.0}) {
        for (const double pitch : {85.0, 120.0, 210.0}) {
            const auto now = told(tone({{"body", 3}}), vowel(pitch, 4.0, rate, 60.0), rate);
            INFO(pitch << " at " << rate);
            CHECK(std::abs(std::log2(now[kTonePitch] / pitch)) < 0.03);
            CHECK(std::abs(std::log2(now[kToneBodyNow] / pitch)) < 0.06);
        }
    }
    auto two = vowel(100.0, 6.0);
    append(two, vowel(200.0, 40.0));
    CHECK(told(tone({}), two)[kToneBodyNow] == Approx(200.0).epsilon(0.08));
    // Pauses and noise are no voice; a hiss alone moves nothing.
    auto pause = vowel(100.0, 6.0);
    append(pause, noise(0.05, 20.0, 3));
    CHECK(told(tone({}), pause)[kToneBodyNow] == Approx(100.0).epsilon(0.05));
    // Nothing is known of silence, and by hand nothing is followed.
    CHECK(told(tone({}), silence(3.0))[kToneBodyNow] == 0.0f);
    CHECK(told(tone({{"follow", 0}}), vowel(100.0, 4.0))[kToneBodyNow] == 0.0f);
    CHECK(tone_centre(tone({{"follow", 0}, {"body_at", 90}}).values, kToneBodyAt, 200.0) == 90.0);
    CHECK(tone_centre(tone({{"body_at", 90}}).values, kToneBodyAt, 200.0) == 200.0);
    CHECK(tone_centre(tone({{"body_at", 90}}).values, kToneBodyAt, 0.0) == 90.0);
}

TEST_CASE("a voice with more chest or fewer consonants than others is told so", "[reference][figures]") {
    const auto x = spoken_words(2);
    const auto more = [&](const char* type, double frequency, double gain) {
        const double kind = std::string(type) == "low" ? 1 : 2;  // shelves
        const auto y = run(chain_of({stage("equalizer", {{"band1_on", 1},
                                                         {"band1_type", kind},
                                                         {"band1_frequency", frequency},
                                                         {"band1_gain", gain}})}),
                           x);
        return told(tone({}), y);
    };
    const auto plain = more("low", 200, 0);
    CHECK(more("low", 280, 9)[kToneBodyMore] > plain[kToneBodyMore] + 2.5f);
    CHECK(more("low", 280, -9)[kToneBodyMore] < plain[kToneBodyMore] - 2.5f);
    CHECK(more("high", 1500, 9)[kToneClarityMore] > plain[kToneClarityMore] + 4.0f);
    CHECK(more("high", 1500, -9)[kToneClarityMore] < plain[kToneClarityMore] - 3.5f);
    // Its place goes to where the weight is.
    CHECK(more("high", 3500, 9)[kToneClarityNow] > 1.05f * more("high", 3500, -9)[kToneClarityNow]);
}

TEST_CASE("tone keeps the loudness of words, and an equalizer takes its place with the same sound",
          "[reference][figures]") {
    const auto x = spoken_words(2);
    AudioBuffer in = mono(x);
    const double before = measure_loudness(in, 48000).integrated.value();
    for (const auto& [body, clarity, air] :
         {std::tuple{4.0, 4.0, 2.0}, {-5.0, 3.0, 0.0}, {6.0, -6.0, -4.0}, {0.0, 0.0, 5.0}}) {
        const StageSpec spec = tone({{"body", body}, {"clarity", clarity}, {"air", air}});
        AudioBuffer out;
        const auto now = told(spec, x, 48000, &out);
        AudioBuffer copy = out;
        INFO(body << ", " << clarity << ", " << air);
        CHECK(measure_loudness(copy, 48000).integrated.value() == Approx(before).margin(0.6));
        // From the middle on, when all has come to rest.
        StageSpec equalizer = stage("equalizer");
        equalizer.values = tone_as_equalizer(spec.values, static_cast<double>(now[kToneBodyNow]),
                                             static_cast<double>(now[kToneClarityNow]));
        const auto y = run(chain_of({equalizer, stage("gain", {{"gain", now[kToneLoudness]}})}), x);
        std::vector<float> rest(x.size());
        const size_t half = x.size() / 2;
        for (size_t i = half; i < x.size(); ++i) rest[i] = y[i] - out[0][i];
        CHECK(db(rms(rest, half) / rms(out[0], half)) < -20.0);
    }
}

TEST_CASE("what tone knows of a voice goes along into the next chain", "[reference]") {
    const auto x = vowel(180.0, 4.0);
    auto first = Chain::build(chain_of({tone({{"body", 3}})}), {48000, 1});
    AudioBuffer sound = mono(x);
    for (size_t i = 0; i + 480 <= x.size(); i += 480) first.value()->process(sound.block(i, 480));
    auto second = Chain::build(chain_of({tone({{"body", 3}})}), {48000, 1});
    CHECK(second.value()->readouts(0)[kToneBodyNow] == 0.0f);
    second.value()->adopt_adaptive_state(*first.value());
    CHECK(second.value()->readouts(0)[kToneBodyNow] == Approx(180.0).epsilon(0.05));
    CHECK(second.value()->readouts(0)[kToneClarityNow] ==
          Approx(first.value()->readouts(0)[kToneClarityNow]));
}
