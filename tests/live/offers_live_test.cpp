// What a strip takes of a device and gives to other programs, against a real PipeWire daemon.
#include "live/table.h"

using namespace reed;
using namespace reed::test;

namespace {
const Judging kJudging{30000, 4800, 24000, -100.0};

/// What is beside a tone of whole periods, in dB below it.
double beside_tone(const std::vector<float>& x, double frequency) {
    double sine = 0.0, cosine = 0.0;
    const auto n = static_cast<double>(x.size());
    const double w = 2.0 * M_PI * frequency / 48000.0;
    for (size_t i = 0; i < x.size(); ++i) {
        sine += 2.0 / n * static_cast<double>(x[i]) * std::sin(w * static_cast<double>(i));
        cosine += 2.0 / n * static_cast<double>(x[i]) * std::cos(w * static_cast<double>(i));
    }
    std::vector<float> rest = x;
    for (size_t i = 0; i < x.size(); ++i)
        rest[i] -= static_cast<float>(sine * std::sin(w * static_cast<double>(i)) +
                                      cosine * std::cos(w * static_cast<double>(i)));
    return db(rms(rest) / rms(x));
}
}  // namespace

TEST_CASE("one channel of a device is a microphone of its own", "[live][desk]") {
    Table table;
    table.daemon.add_source("stage_box", "Stage box", "AUX0 AUX1 AUX2 AUX3");
    REQUIRE(table.until([&] {
        const auto picture = table.graph->picture();
        const PipeWireNode* s = picture.source("stage_box");
        return s != nullptr && s->channels == std::vector<std::string>{"AUX0", "AUX1", "AUX2", "AUX3"};
    }));
    // Its third channel takes the guest's place.
    table.sources[1]->stop();
    auto made = make_source({DeviceKind::pipewire, "stage_box", 3}, "", *table.hub, 2, false);
    REQUIRE(made.ok());
    CHECK(made.value()->format().channels == 1);
    table.sources[1] = std::move(made.value());
    table.start(1);
    REQUIRE(table.until([&] { return table.all_running(); }));
    const auto words = played(few_words());
    write_wav(table.path("words.wav"), mono(words));
    const auto heard = [&](const std::string& channel) {
        const std::string both = table.path("both.wav");
        const int recorder =
            table.daemon.record_pair(both, "stage_box:capture_" + channel, "dusky-reed:capture_MONO");
        const int player = table.daemon.play_into(table.path("words.wav"), "stage_box:input_" + channel);
        REQUIRE(table.until([&] { return Daemon::ended(player); }));
        Daemon::end(recorder, SIGINT);
        return read_sound(both).value();
    };
    require_equal(
        [&] {
            const auto got = heard("AUX2");
            return judge(got[0], got[1], run(guest(), got[0]), words, kJudging);
        },
        5);
    // What comes in by another one is not heard at all.
    const auto other = heard("AUX1");
    CHECK(rms({other[0].begin(), other[0].end()}) > 0.01);
    CHECK(db(rms({other[1].begin(), other[1].end()})) < -120.0);

    // A channel that it has not: told at once, and while it is waited for.
    const auto fifth = make_source({DeviceKind::pipewire, "stage_box", 5}, "", *table.hub, 1, false);
    REQUIRE_FALSE(fifth.ok());
    CHECK(fifth.error().text().find("has no channel 5, only 4") != std::string::npos);
    CHECK(fifth.error().text().find("from 1 to 4") != std::string::npos);
    auto waits = make_source({DeviceKind::pipewire, "stage_box", 5}, "", *table.hub, 1, true);
    REQUIRE(waits.ok());
    table.sources[1]->stop();
    table.sources[1] = std::move(waits.value());
    table.start(1);
    REQUIRE(table.until([&] { return table.sources[1]->status().waiting; }));
    CHECK_THAT(table.sources[1]->status().problem, Catch::Contains("has 4 channels and no channel 5"));
    CHECK(table.sources[0]->status().running);
}

TEST_CASE("a strip is a microphone of its own, and what comes in beside it, as late as it", "[live][desk]") {
    Table table;
    table.strips[1]->set_output(&table.hub->offer("dusky-reed-strip-guest", "Dusky Reed: Guest", 1));
    table.strips[1]->set_plain_output(
        &table.hub->offer("dusky-reed-strip-guest-plain", "Dusky Reed: Guest, unprocessed", 1));
    const std::string own = "dusky-reed-strip-guest:capture_MONO",
                      plain = "dusky-reed-strip-guest-plain:capture_MONO";
    REQUIRE(table.daemon.wait_for_node("dusky-reed-strip-guest"));
    REQUIRE(table.daemon.wait_for_node("dusky-reed-strip-guest-plain"));
    const auto words = played(few_words());
    write_wav(table.path("words.wav"), mono(words));
    require_equal(
        [&] {
            const auto got = table.listen(table.path("words.wav"), "guest_mic", own);
            return judge(got.plain, got.heard, run(guest(), got.plain), words, kJudging);
        },
        5);
    require_equal(
        [&] {
            const auto got = table.listen(table.path("words.wav"), "guest_mic", plain);
            return judge(got.plain, got.heard, got.plain, words, kJudging);
        },
        5);
    // The one beside the other: what the chain makes of the plain one, at the same time.
    require_equal(
        [&] {
            const std::string both = table.path("both.wav");
            const int recorder = table.daemon.record_pair(both, plain, own);
            const int player = table.daemon.play(table.path("words.wav"), "guest_mic");
            REQUIRE(table.until([&] { return Daemon::ended(player); }));
            Daemon::end(recorder, SIGINT);
            const auto got = read_sound(both).value();
            Judging at_once = kJudging;
            at_once.most_delay = 0;
            return judge(got[0], got[1], run(guest(), got[0]), words, at_once);
        },
        5);
}

TEST_CASE("six strips come and go while one sounds, which is not changed by it", "[live][desk]") {
    Table table;
    const auto words = played(some_words());
    write_wav(table.path("words.wav"), mono(words));
    for (int i = 3; i <= 6; ++i)
        table.daemon.add_source("mic_" + std::to_string(i), "Microphone " + std::to_string(i));
    require_equal(
        [&] {
            const std::string both = table.path("both.wav");
            const int recorder =
                table.daemon.record_pair(both, "desk_mic:capture_MONO", "dusky-reed:capture_MONO");
            const int player = table.daemon.play(table.path("words.wav"), "desk_mic");
            double seconds = 0.5;
            for (int i = 3; i <= 6; ++i) {
                REQUIRE(Daemon::goes_on(both, seconds));
                seconds = 0.3;
                const std::string name = "mic_" + std::to_string(i);
                table.seat(name, StripRole::voice, guest(), table.hub->source(name, 1));
                table.arrange();
                table.start(table.strips.size() - 1);
                REQUIRE(table.until([&] { return table.all_running(); }));
            }
            CHECK(table.desk.desk().strips().size() == 6);
            while (table.strips.size() > 2) {
                REQUIRE(Daemon::goes_on(both, 0.3));
                table.sources.back()->stop();
                table.sources.pop_back();
                table.strips.pop_back();
                table.arrange();
                table.desk.settle();
            }
            REQUIRE(table.until([&] { return Daemon::ended(player); }));
            Daemon::end(recorder, SIGINT);
            const auto got = read_sound(both).value();
            return judge(got[0], got[1], run(host(), got[0]), words, kJudging);
        },
        6);
}

TEST_CASE("a microphone on a clock of another rate is heard beside one on the daemon's", "[live][desk]") {
    Table table;
    table.daemon.add_source("slow_mic", "Microphone at 44.1 kHz", "MONO", 44100);
    table.sources[1]->stop();
    table.sources[1] = table.hub->source("slow_mic", 1);
    table.start(1);
    REQUIRE(table.until([&] { return table.all_running(); }));
    write_wav(table.path("tone.wav"), mono(sine(1000, 0.1, 4.0)));
    const auto words = played(few_words());
    write_wav(table.path("words.wav"), mono(words));
    // The host's words are what they are beside it; after them the tone of the other one, clean.
    require_equal(
        [&] {
            const auto got = table.listen(table.path("words.wav"), "desk_mic");
            return judge(got.plain, got.heard, run(host(), got.plain), words, kJudging);
        },
        5);
    double cleanest = 0.0;
    for (int tries = 0; tries < 6 && cleanest > -60.0; ++tries) {
        const auto got = table.listen(table.path("tone.wav"), "slow_mic").heard;
        // Half seconds by half seconds: of a starved daemon some are broken.
        for (size_t at = 0; at + 24000 <= got.size(); at += 24000) {
            const std::vector<float> part(got.begin() + static_cast<long>(at),
                                          got.begin() + static_cast<long>(at + 24000));
            if (rms(part) > 0.05) cleanest = std::min(cleanest, beside_tone(part, 1000.0));
        }
    }
    CHECK(cleanest < -60.0);
}
