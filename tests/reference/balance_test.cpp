// Loudness of voice and programme against each other, by the signals of EBU Tech 3341.
#include <catch2/catch.hpp>
#include <memory>

#include "base/decibel.h"
#include "measure/balance.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

std::unique_ptr<LoudnessTrack> track(const AudioBuffer& sound, double seconds = 0.0) {
    auto out = std::make_unique<LoudnessTrack>(StreamFormat{48000, sound.channels()}, seconds);
    AudioBuffer copy = sound;
    for (size_t i = 0; i < copy.frames(); i += 700)
        out->add(copy.block(i, static_cast<int>(std::min<size_t>(700, copy.frames() - i))));
    return out;
}

/// Tech 3341, case 1: a sine of 1 kHz in both channels of so many dBFS has as many LUFS.
std::vector<float> tone(double dbfs, double seconds) {
    return sine(1000, db_to_gain(dbfs), seconds);
}

}  // namespace

TEST_CASE("the distance of two tones is that of EBU Tech 3341's signals", "[reference][balance]") {
    const auto voice = tone(-23, 20), programme = tone(-33, 20);
    const Balance b = balance_of(*track(stereo(voice, voice)), *track(stereo(programme, programme)));
    CHECK(*b.voice == Approx(-23.0).margin(0.1));
    CHECK(*b.programme == Approx(-33.0).margin(0.1));
    CHECK(*b.distance == Approx(10.0).margin(0.1));
    CHECK(b.speech_seconds == Approx(20.0).margin(0.11));
}

TEST_CASE("the distance is that of the moments in which somebody speaks", "[reference][balance]") {
    // The programme is 20 dB louder while nobody does.
    std::vector<float> voice, programme;
    for (int i = 0; i < 5; ++i) {
        append(voice, tone(-20, 3));
        append(voice, silence(3));
        append(programme, tone(-32, 3));
        append(programme, tone(-12, 3));
    }
    const Balance b = balance_of(*track(stereo(voice, voice)), *track(stereo(programme, programme)));
    // At the ends of the speech the window of 400 ms lies half in the pause.
    CHECK(*b.voice == Approx(-20.0).margin(0.5));
    CHECK(*b.beneath == Approx(-32.0).margin(0.1));
    CHECK(*b.distance == Approx(12.0).margin(0.6));
    CHECK(b.speech_seconds == Approx(15.0).margin(0.11));
    // What is kept of the last seconds only.
    const Balance late =
        balance_of(*track(stereo(voice, voice), 2.0), *track(stereo(programme, programme), 2.0));
    CHECK_FALSE(late.voice);
    CHECK(*late.programme == Approx(-12.0).margin(0.1));
}

TEST_CASE("the voice's loudness is the gated one of BS.1770", "[reference][balance]") {
    const auto words = spoken_words();
    LoudnessMeter meter({48000, 1}, LoudnessStorage::exact);
    AudioBuffer copy = mono(words);
    meter.add(copy.block(0, static_cast<int>(copy.frames())));
    const Balance b = balance_of(*track(mono(words)), *track(mono(silence(words.size() / 48000.0))));
    CHECK(*b.voice == Approx(*meter.read().integrated).margin(0.15));
    CHECK_FALSE(b.distance);
    CHECK_FALSE(balance_of(*track(mono(silence(5))), *track(mono(words))).distance);
}

TEST_CASE("each of two voices is as loud as its tones, whatever the other's microphone hears of it",
          "[reference][balance]") {
    // In turns, and each softer in the other's microphone, by 14 and by 4 dB; a single channel has 3 LU less
    // (BS.1770).
    std::vector<float> one, two;
    for (int i = 0; i < 4; ++i) {
        append(one, tone(-20, 2));
        append(two, tone(-34, 2));
        append(one, tone(-30, 2));
        append(two, tone(-26, 2));
    }
    const auto a = track(mono(one)), b = track(mono(two));
    const LoudnessTrack* both[] = {a.get(), b.get()};
    const auto apart = per_voice_loudness(both);
    REQUIRE(apart.size() == 2);
    CHECK(*apart[0].lufs == Approx(-23.0).margin(0.2));
    CHECK(*apart[1].lufs == Approx(-29.0).margin(0.2));
    CHECK(apart[0].seconds == Approx(8.0).margin(0.5));
    CHECK(apart[1].seconds == Approx(8.0).margin(0.5));
    // One that says nothing is told as that, not as what it hears.
    const auto heard = track(mono(tone(-40, 16)));
    const LoudnessTrack* silent[] = {a.get(), heard.get()};
    CHECK_FALSE(per_voice_loudness(silent)[1].seconds > 8.5);
    const auto nothing = track(mono(silence(16)));
    const LoudnessTrack* none[] = {a.get(), nothing.get()};
    CHECK_FALSE(per_voice_loudness(none)[1].lufs.has_value());
    CHECK(per_voice_loudness({}).empty());
    // From a moment on: the last pair of turns alone, in which the second voice is 6 dB louder.
    for (int i = 0; i < 2; ++i) append(one, silence(2)), append(two, tone(-20, 2));
    const auto before = track(mono(std::vector<float>(one.begin(), one.begin() + 16 * 48000)));
    const auto longer = track(mono(one)), louder = track(mono(two));
    const LoudnessTrack* later[] = {longer.get(), louder.get()};
    const auto since = per_voice_loudness(later, before->next_independent());
    CHECK(since[0].seconds == 0.0);
    CHECK(*since[1].lufs == Approx(-23.0).margin(0.1));
    CHECK(since[1].seconds == Approx(3.6).margin(0.11));
}

TEST_CASE("the verdict names the distance and what to do", "[balance]") {
    const auto said = [](double voice, double beneath) {
        Balance b;
        b.voice = voice;
        b.programme = b.beneath = beneath;
        b.distance = voice - beneath;
        return format_message(balance_finding(b, 10, 15));
    };
    CHECK(said(-16, -20) ==
          "App audio is only 4 LU below you while you speak. Lower it by 6 dB or let it duck.");
    CHECK(said(-16, -28) ==
          "App audio is 12 LU below you while you speak, within the target of 10 to 15 LU.");
    CHECK(said(-16, -36) == "App audio is 20 LU below you while you speak. You can raise it by 5 dB.");
    CHECK(said(-20, -17) ==
          "App audio is 3 LU louder than you while you speak. Lower it by 13 dB or let it duck.");
    CHECK(balance_finding({}, 10, 15).id == "no_voice_yet");
    Balance alone;
    alone.voice = -16;
    CHECK(balance_finding(alone, 10, 15).id == "no_programme");
}
