// What has changed since a soundcheck, on changes that are known.
#include "soundcheck/since_soundcheck.h"

#include <catch2/catch.hpp>

#include "base/decibel.h"
#include "dsp/biquad_cascade.h"
#include "support/noises.h"
#include "support/room.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

constexpr double kRate = 48000.0;

std::vector<float> filtered(std::vector<float> x, const BandSettings& band) {
    BiquadCascade f;
    f.snap(design(band, kRate));
    for (float& v : x) v = f.next(0, v);
    return x;
}

/// Spoken words in a room with the low end of close talk; `distance` in multiples of the first place.
std::vector<float> words(double distance = 1.0) {
    auto x = spoken_words(3);
    x = louder(std::move(x), -26.0 - speech_level(spoken_words(3), kRate)->active_dbfs);
    x = filtered(std::move(x), {FilterType::low_shelf, 250.0, 6.0 / distance, 0.7, 12});
    x = reverberant(x, 0.4, 0.3 * distance);
    x = louder(std::move(x), -gain_to_db(distance));
    x.resize(static_cast<size_t>(16.0 * kRate));
    return x;
}

SoundcheckRecord record() {
    StepRecordings steps;
    steps.sample_rate = kRate;
    steps[SoundcheckStep::silence] = mono(fan_noise(-60.0, 5.0));
    steps[SoundcheckStep::talk] = mono(mix(words(), fan_noise(-60.0, 16.0)));
    const auto facts = analyse_steps(steps);
    REQUIRE(facts.ok());
    return soundcheck_record(facts.value(), "Microphone", {{"talk", "talk.flac"}});
}

std::string said(const SoundcheckRecord& before, const std::vector<float>& now, double noise,
                 std::string_view shown = {}) {
    const auto since = since_soundcheck(before, now, kRate, noise);
    REQUIRE(since);
    const auto finding = since_finding(*since, shown);
    return finding ? std::string(finding->id) : std::string();
}

}  // namespace

TEST_CASE("since the soundcheck nothing has changed where the voice and the noise are the same") {
    const SoundcheckRecord before = record();
    CHECK(before.microphone == "Microphone");
    CHECK(before.takes.at("talk") == "talk.flac");
    CHECK(before.noise == Approx(-60.0).margin(0.3));
    CHECK(before.date.size() >= 19);
    CHECK(said(before, mix(words(), fan_noise(-60.0, 16.0)), -60.0).empty());
    CHECK(said(before, mix(louder(words(), -4.0), fan_noise(-60.0, 16.0)), -60.0).empty());
    CHECK(said(before, mix(words(), fan_noise(-57.0, 16.0)), -57.0).empty());
    // Without speech nothing is known.
    CHECK_FALSE(since_soundcheck(before, std::vector<float>(480000), kRate, -60.0));
}

TEST_CASE("since the soundcheck the mouth is farther away, or the voice only softer", "[figures]") {
    const SoundcheckRecord before = record();
    CHECK(said(before, mix(words(3.0), fan_noise(-60.0, 16.0)), -60.0) == "farther");
    // Soft talk has less above 1.5 kHz, and the same room.
    const auto soft = filtered(louder(words(), -9.0), {FilterType::high_shelf, 1500.0, -4.5, 0.7, 12});
    CHECK(said(before, mix(soft, fan_noise(-60.0, 16.0)), -60.0).empty());
}

TEST_CASE("since the soundcheck the microphone gives another level, or the room is louder", "[figures]") {
    const SoundcheckRecord before = record();
    CHECK(said(before, louder(mix(words(), fan_noise(-60.0, 16.0)), -10.0), -70.0) == "gain_changed");
    CHECK(said(before, louder(mix(words(), fan_noise(-60.0, 16.0)), 10.0), -50.0) == "gain_changed");
    CHECK(said(before, mix(words(), fan_noise(-51.0, 16.0)), -51.0) == "noise_louder");
    // What is shown stays until it is clearly over.
    CHECK(said(before, mix(words(), fan_noise(-55.0, 16.0)), -55.0).empty());
    CHECK(said(before, mix(words(), fan_noise(-55.0, 16.0)), -55.0, "noise_louder") == "noise_louder");
    CHECK(said(before, mix(words(), fan_noise(-57.0, 16.0)), -57.0, "noise_louder").empty());
    const auto since =
        since_soundcheck(before, louder(mix(words(), fan_noise(-60.0, 16.0)), -10.0), kRate, -70.0);
    CHECK(since->speech == Approx(-10.0).margin(0.7));
    CHECK(since->noise == Approx(-10.0).margin(0.3));
    const auto finding = since_finding(*since);
    CHECK(format_message(*finding).find("10 dB quieter") != std::string::npos);
}
