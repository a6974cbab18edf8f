// Takes on disk, as loops, against each other, and as a page.
#include <catch2/catch.hpp>
#include <filesystem>
#include <functional>
#include <map>
#include <random>
#include <utility>

#include "base/file.h"
#include "chain/chain.h"
#include "measure/loudness.h"
#include "stages/registry.h"
#include "support/noises.h"
#include "support/signals.h"
#include "takes/blind_test.h"
#include "takes/take.h"
#include "takes/take_player.h"

using namespace reed;
using namespace reed::test;
namespace fs = std::filesystem;

namespace {

TakeNotes notes() {
    return {"Anna's \"first\" / try", "Guest", "Desk microphone", "2026-11-26T21:05:33",
            "near, with pop shield"};
}

/// Samples that a 24-bit file holds as they are.
std::vector<float> whole(std::vector<float> x) {
    for (float& v : x) v = std::round(v * 8388608.0f) / 8388608.0f;
    return x;
}

double integrated(AudioBuffer sound, double rate = 48000) {
    LoudnessMeter meter({rate, sound.channels()}, LoudnessStorage::exact);
    meter.add(sound.block(0, static_cast<int>(sound.frames())));
    return *meter.read().integrated;
}

/// Runs a player as a source of blocks of `block` frames of what `mic` gives.
std::vector<float> played_by(TakePlayer& player, std::vector<float> mic, int block) {
    for (size_t i = 0; i + static_cast<size_t>(block) <= mic.size(); i += static_cast<size_t>(block))
        player.run({{mic.data() + i, nullptr}, 1, block});
    return mic;
}

}  // namespace

TEST_CASE("a take is kept without loss, with all that is told of it", "[takes]") {
    const TemporaryFolder folder;
    const TakeStore store(folder.path("takes"));
    const auto left = whole(noise(0.1, 2.0, 1)), right = whole(noise(0.05, 2.0, 2));
    const auto kept = store.keep(stereo(left, right), 96000, notes());
    REQUIRE(kept.ok());
    CHECK(kept.value().path.extension() == ".flac");
    CHECK(kept.value().path.parent_path() == folder.path("takes"));
    CHECK(kept.value().notes == notes());
    CHECK(kept.value().info.sample_rate == 96000);
    const auto back = read_sound(kept.value().path);
    REQUIRE(back.ok());
    CHECK((back.value()[0] == left));
    CHECK((back.value()[1] == right));
    // Past full scale it is a file that can hold that.
    std::vector<float> loud = left;
    loud[100] = 1.75f;
    const auto hot = store.keep(mono(loud), 48000, notes());
    REQUIRE(hot.ok());
    CHECK(hot.value().path.extension() == ".wav");
    CHECK(hot.value().path.stem() != kept.value().path.stem());
    CHECK((read_sound(hot.value().path).value()[0] == loud));
    CHECK(hot.value().notes == notes());
    const auto copied = TakeStore(folder.path("copies")).import(hot.value().path);
    REQUIRE(copied.ok());
    CHECK((read_sound(copied.value().path).value()[0] == loud));
    // Without a name it is called by its date; nothing is no take.
    CHECK(store.keep(mono(left), 48000, {}).value().notes.name.size() == 19);
    CHECK_FALSE(store.keep(AudioBuffer(1, 0), 48000, {}).ok());
    CHECK(store.list().size() == 3);
}

TEST_CASE("takes are trimmed, renamed, removed and brought back, and nothing is lost by it", "[takes]") {
    const TemporaryFolder folder;
    const TakeStore store(folder.path("takes"));
    const auto sound = whole(noise(0.1, 3.0, 1));
    Take take = store.keep(mono(sound), 48000, notes()).value();
    const auto removed = [&] {
        return std::distance(fs::directory_iterator(folder.path("takes/removed")), fs::directory_iterator());
    };
    const auto trimmed = store.trim(take, 48000, 24000);
    REQUIRE(trimmed.ok());
    CHECK(read_sound(trimmed.value().path).value()[0] ==
          std::vector<float>(sound.begin() + 48000, sound.begin() + 72000));
    CHECK(trimmed.value().notes == notes());
    CHECK_FALSE(fs::exists(take.path));
    CHECK(removed() == 1);
    CHECK_FALSE(store.trim(trimmed.value(), 0, 100).ok());
    const auto renamed = store.rename(trimmed.value(), "Other ../ name");
    REQUIRE(renamed.ok());
    CHECK(renamed.value().path.parent_path() == folder.path("takes"));
    CHECK(renamed.value().notes.name == "Other ../ name");
    CHECK(store.find("other ../ NAME").ok());
    CHECK_FALSE(store.find("nobody").ok());
    const auto gone = store.remove(renamed.value());
    REQUIRE(gone.ok());
    CHECK(store.list().empty());
    const auto again = store.bring_back(gone.value());
    REQUIRE(again.ok());
    CHECK(again.value().notes.name == "Other ../ name");
    CHECK(store.list().size() == 1);
    CHECK_FALSE(store.remove(take).ok());  // it is not there any more
    // Long names, and names of nothing but dots.
    TakeNotes odd = notes();
    odd.name = std::string(400, 'x');
    CHECK(store.keep(mono(sound), 48000, odd).value().notes.name == odd.name);
    odd.name = "...";
    CHECK(store.keep(mono(sound), 48000, odd).ok());
}

TEST_CASE("takes are taken in from any sound file and written out, as they are or processed", "[takes]") {
    const TemporaryFolder folder;
    const TakeStore store(folder.path("takes"));
    const auto words = spoken_words();
    write_wav(folder.path("words.wav"), mono(words));
    std::vector<double> told;
    const auto taken = store.import(folder.path("words.wav"), [&](double d) {
        told.push_back(d);
        return true;
    });
    REQUIRE(taken.ok());
    CHECK_FALSE(told.empty());
    CHECK(taken.value().notes.name == "words");
    // Out: whole, processed, and as Opus at 48 kHz.
    REQUIRE(store.write_out(taken.value(), folder.path("a.flac"), nullptr).ok());
    CHECK(read_sound(folder.path("a.flac")).value()[0] == read_sound(taken.value().path).value()[0]);
    CHECK(read_take(folder.path("a.flac")).notes.name == "words");
    const ChainSpec chain = chain_of({stage("gain", {{"gain", -6}}), stage("limiter")});
    REQUIRE(store.write_out(taken.value(), folder.path("b.wav"), &chain).ok());
    CHECK(largest_difference(read_sound(folder.path("b.wav")).value()[0],
                             run(chain, read_sound(taken.value().path).value()[0])) < 1e-6);
    const auto slow = store.keep(mono(sine(1000, 0.25, 2.0, 44100)), 44100, {"Tone", "", "", "", ""});
    REQUIRE(store.write_out(slow.value(), folder.path("c.opus"), nullptr).ok());
    SoundInfo info;
    const auto opus = read_sound(folder.path("c.opus"), &info);
    REQUIRE(opus.ok());
    CHECK(info.sample_rate == 48000);
    CHECK(std::abs(static_cast<double>(info.frames) - 96000) < 1000);
    CHECK(tone_amplitude(opus.value()[0], 1000, 48000, 24000) == Approx(0.25).epsilon(0.05));
    CHECK(db(rms(mix(opus.value()[0], sine(1000, -0.25, 2.0))) / 0.18) < -15.0);  // where it was
    // Over itself it is not written.
    CHECK_FALSE(store.write_out(taken.value(), taken.value().path, &chain).ok());
    CHECK(read_sound(taken.value().path).ok());
    // Cancelled: nothing is left.
    const auto never = [](double) { return false; };
    CHECK_FALSE(store.write_out(taken.value(), folder.path("d.flac"), nullptr, never).ok());
    CHECK_FALSE(store.import(folder.path("words.wav"), never).ok());
    // The same in the middle of looking at it, and of writing it; also where a part of it takes its place.
    for (const double at : {0.3, 0.6, 0.97}) {
        const auto until = [at](double done) { return done < at; };
        const auto ended = store.import(folder.path("words.wav"), until);
        REQUIRE_FALSE(ended.ok());
        CHECK_THAT(ended.error().what, Catch::Contains("Cancelled"));
        CHECK_FALSE(store.rename(taken.value(), "Another", until).ok());
        CHECK_FALSE(store.trim(taken.value(), 0, 48000, until).ok());
    }
    CHECK(read_sound(taken.value().path).value().frames() == words.size());
    CHECK_FALSE(fs::exists(folder.path("d.flac")));
    CHECK(store.list().size() == 2);
    CHECK_FALSE(store.write_out(taken.value(), folder.path("e.mp3"), nullptr).ok());
    CHECK_FALSE(store.write_out(taken.value(), folder.path("nowhere/e.wav"), nullptr).ok());
}

TEST_CASE("what is no take is told as that, and the others are there", "[takes]") {
    const TemporaryFolder folder;
    const TakeStore store(folder.path("takes"));
    CHECK(store.list().empty());
    REQUIRE(store.keep(mono(noise(0.1, 1.0, 1)), 48000, {"Good", "", "", "", ""}).ok());
    REQUIRE(write_file(folder.path("takes/text.flac"), "no sound at all").ok());
    REQUIRE(write_file(folder.path("takes/notes.txt"), "not looked at").ok());
    fs::create_directory(folder.path("takes/folder.wav"));
    AudioBuffer six(2, 4800);
    write_wav(folder.path("takes/slow.wav"), mono(noise(0.1, 1.0, 1, 22050)), 22050);
    const auto all = store.list();
    REQUIRE(all.size() == 4);
    std::map<std::string, std::string> problems;
    for (const Take& t : all) problems[t.path.filename()] = t.problem;
    CHECK(problems["Good.flac"].empty());
    CHECK(problems["text.flac"].find("can't be read as audio") != std::string::npos);
    CHECK(problems["folder.wav"].find("folder") != std::string::npos);
    CHECK(problems["slow.wav"].find("44.1 to 192 kHz") != std::string::npos);
    CHECK_FALSE(store.find("slow").ok());
    CHECK_FALSE(store.import(folder.path("takes/text.flac")).ok());
    // A folder that can't be made.
    REQUIRE(write_file(folder.path("file"), "x").ok());
    const TakeStore nowhere(folder.path("file/takes"));
    CHECK_FALSE(nowhere.keep(mono(noise(0.1, 1.0, 1)), 48000, {}).ok());
}

TEST_CASE("a loop's seam is not heard", "[takes][figures]") {
    // A tone whose loop does not hold whole periods: cut, it would click.
    const auto tone = sine(1003.7, 0.25, 3.0);
    const Loop loop = Loop::of(mono(tone), 4801, 4801 + 50021, 48000);
    CHECK(loop.first == 4801);
    CHECK(loop.sound.frames() == 50021 - 960);
    TakePlayer player;
    player.prepare(48000, 1);
    player.play(std::make_shared<Loop>(loop), 0, true);
    const auto out = played_by(player, silence(6.0), 256);
    // What lies above 4 kHz, where the tone has nothing.
    const auto high = [](const std::vector<float>& x) {
        std::vector<float> y = x;
        for (int pass = 0; pass < 4; ++pass) {  // RBJ high-pass of second order, by hand
            const double w = 2.0 * M_PI * 4000.0 / 48000.0, alpha = std::sin(w) / (2.0 * 0.7071),
                         c = std::cos(w);
            double x1 = 0, x2 = 0, y1 = 0, y2 = 0;
            for (float& v : y) {
                const double in = static_cast<double>(v);
                const double o =
                    ((1 + c) / 2 * in - (1 + c) * x1 + (1 + c) / 2 * x2 + 2 * c * y1 - (1 - alpha) * y2) /
                    (1 + alpha);
                x2 = x1;
                x1 = in;
                y2 = y1;
                y1 = o;
                v = static_cast<float>(o);
            }
        }
        return y;
    };
    const auto above = high(out);
    CHECK(rms(out, 48000) > 0.1);
    double worst = -200.0;
    for (size_t i = 24000; i + 480 < above.size(); i += 240) worst = std::max(worst, db(rms(above, i, 480)));
    CHECK(worst < -80.0);
    // As a check of the check: without the fade it is heard.
    Loop hard = loop;
    for (size_t i = 0; i < 960; ++i) hard.sound[0][i] = tone[4801 + i];
    TakePlayer clicking;
    clicking.prepare(48000, 1);
    clicking.play(std::make_shared<Loop>(hard), 0, true);
    const auto clicks = high(played_by(clicking, silence(6.0), 256));
    double loudest = -200.0;
    for (size_t i = 24000; i + 480 < clicks.size(); i += 240)
        loudest = std::max(loudest, db(rms(clicks, i, 480)));
    CHECK(loudest > -60.0);
}

TEST_CASE("a loop takes the microphone's place once nothing goes out, and leaves it the same way",
          "[takes]") {
    TakePlayer player;
    player.prepare(48000, 1);
    const auto mic = std::vector<float>(48000, 0.25f);
    auto loop = std::make_shared<Loop>();
    loop->sound = mono(std::vector<float>(9600, -0.5f));
    CHECK(player.position() == -1);
    CHECK_FALSE(player.holds());
    player.play(loop, 100, false);
    auto out = played_by(player, {mic.begin(), mic.begin() + 9600}, 96);
    CHECK(player.holds());
    CHECK(player.playing());
    // A tenth of a second the microphone still, then a fade of 20 ms.
    CHECK(out[4700] == 0.25f);
    CHECK(out[4800 + 480] == Approx(-0.125).margin(0.01));
    CHECK(out[4800 + 1000] == -0.5f);
    for (size_t i = 1; i < out.size(); ++i) REQUIRE(std::abs(out[i] - out[i - 1]) < 0.001f);
    CHECK(player.position() == (100 + 9600 - 4800) % 9600);
    player.seek(50);
    (void)played_by(player, {mic.begin(), mic.begin() + 96}, 96);
    CHECK(player.position() == 146);
    // Freed only when nobody uses it.
    const std::weak_ptr<Loop> watched = loop;
    loop.reset();
    player.tend();
    CHECK_FALSE(watched.expired());
    player.stop(4800);
    CHECK_FALSE(player.playing());
    out = played_by(player, {mic.begin(), mic.begin() + 4800}, 96);
    CHECK(out[2000] == 0.25f);
    CHECK(player.holds());  // the chain may hold some of it still
    (void)played_by(player, {mic.begin(), mic.begin() + 4800}, 96);
    CHECK(player.holds());
    (void)played_by(player, {mic.begin(), mic.begin() + 14400}, 96);
    CHECK_FALSE(player.holds());
    player.tend();
    CHECK(watched.expired());
    // On wish it goes out while it plays, and not any more.
    player.play(std::make_shared<Loop>(Loop{mono(std::vector<float>(9600, 0.1f)), 0}), 0, false);
    (void)played_by(player, {mic.begin(), mic.begin() + 9600}, 96);
    CHECK(player.holds());
    player.set_aloud(true);
    (void)played_by(player, {mic.begin(), mic.begin() + 96}, 96);
    CHECK_FALSE(player.holds());
    player.set_aloud(false);
    (void)played_by(player, {mic.begin(), mic.begin() + 96}, 96);
    CHECK(player.holds());
    player.stop(0);
    (void)played_by(player, {mic.begin(), mic.begin() + 24000}, 96);
    CHECK_FALSE(player.holds());
    // Aloud: nothing is held back.
    player.play(std::make_shared<Loop>(Loop{mono(std::vector<float>(9600, 0.1f)), 0}), 0, true);
    out = played_by(player, {mic.begin(), mic.begin() + 4800}, 96);
    CHECK_FALSE(player.holds());
    CHECK(out[1000] == 0.1f);
}

TEST_CASE("a loop that ends while another one was about to take its place lets the microphone out again",
          "[takes]") {
    TakePlayer player;
    player.prepare(48000, 1);
    const auto loop = [](float value) {
        return std::make_shared<Loop>(Loop{mono(std::vector<float>(9600, value)), 0});
    };
    const std::vector<float> mic(48000, 0.25f);
    player.play(loop(-0.5f), 0, false);
    (void)played_by(player, {mic.begin(), mic.begin() + 19200}, 96);
    REQUIRE(player.holds());
    player.play(loop(-0.1f), 0, false);
    // The first one has faded out; of the second nothing is heard yet when it is not wanted any more.
    (void)played_by(player, {mic.begin(), mic.begin() + 1920}, 1920);
    player.stop(4800);
    (void)played_by(player, {mic.begin(), mic.begin() + 14400}, 96);
    CHECK(player.holds());  // the chain and the rest are 16800 frames
    const auto out = played_by(player, {mic.begin(), mic.begin() + 4800}, 96);
    CHECK_FALSE(player.holds());
    CHECK(out[4799] == 0.25f);
}

TEST_CASE("nothing goes out from the moment a loop is asked for, through every opening, until it has ended",
          "[takes]") {
    TakePlayer player;
    player.prepare(48000, 1);
    const std::vector<float> mic(48000, 0.25f);
    const auto run = [&](int frames) { return played_by(player, {mic.begin(), mic.begin() + frames}, 96); };
    const auto loop = [] { return std::make_shared<Loop>(Loop{mono(std::vector<float>(9600, -0.5f)), 0}); };
    player.reserve(480);
    CHECK(player.holds());
    CHECK(run(9600).back() == 0.25f);  // the file is still being read
    CHECK(player.holds());
    player.play(loop(), 0, false);
    // The microphone has been held back for long: the loop comes at once.
    CHECK(run(1920).back() == -0.5f);
    CHECK(player.holds());
    // The input is opened anew: nothing goes out though nothing plays.
    player.prepare(48000, 1);
    CHECK(player.holds());
    (void)run(9600);
    CHECK(player.holds());
    player.play(loop(), 0, false);
    (void)run(1920);
    player.stop(480);
    (void)run(480);
    CHECK(player.holds());
    (void)run(14400);
    CHECK_FALSE(player.holds());
    // Aloud: what loops goes out, but nothing of the microphone that the chain still holds.
    player.reserve(4800);
    (void)run(960);
    player.play(loop(), 0, true);
    int held = 0;
    bool heard_mic = false;
    for (int i = 0; i < 200; ++i) {
        const auto out = run(96);
        if (player.holds()) held += 96;
        heard_mic = heard_mic || (!player.holds() && out.back() != -0.5f);
    }
    CHECK(held >= 4800);
    CHECK(held < 12000);
    CHECK_FALSE(heard_mic);
    // Given up before it was read.
    player.stop(480);
    (void)run(48000);
    player.reserve(480);
    (void)run(960);
    player.stop(480);
    (void)run(19200);
    CHECK_FALSE(player.holds());
}

TEST_CASE("both sides run at once and are switched in 10 ms without a click", "[takes]") {
    TakePlayer player;
    player.prepare(48000, 1);
    const auto tone = sine(500, 0.2, 1.0);
    std::vector<float> other = tone;
    for (float& x : other) x *= -0.5f;
    player.play(std::make_shared<Loop>(Loop{mono(tone), 0}), 0, true);
    player.compare(std::make_shared<LoopPair>(LoopPair{mono(tone), mono(other)}));
    const auto heard = player.heard();
    const auto before = heard->written();
    (void)played_by(player, silence(0.2), 96);
    player.choose(true);
    (void)played_by(player, silence(0.2), 96);
    const auto n = static_cast<int>(heard->written() - before);
    REQUIRE(n == 19200);
    std::vector<float> out(static_cast<size_t>(n));
    float* rows[2] = {out.data(), nullptr};
    REQUIRE(heard->read(before, n, rows));
    // Each in its own time, whichever is heard.
    for (size_t i = 0; i < 9600; ++i) REQUIRE(out[i] == tone[i]);
    for (size_t i = 9600 + 480; i < 19200; ++i) REQUIRE(out[i] == other[i]);
    double steepest = 0.0;
    for (size_t i = 1; i < out.size(); ++i)
        steepest = std::max(steepest, static_cast<double>(std::abs(out[i] - out[i - 1])));
    CHECK(steepest < 0.2 * 2.0 * M_PI * 500.0 / 48000.0 + 0.3 / 480.0 + 1e-4);
    player.stop(0);
    (void)played_by(player, silence(0.1), 96);
    const auto end = heard->written();
    (void)played_by(player, silence(0.1), 96);
    CHECK(heard->written() == end);
}

TEST_CASE("two sides are turned to one loudness within 0.2 LU, for voices, music and bursts",
          "[takes][reference]") {
    const auto words = spoken_words();
    std::vector<float> bursts;
    for (int i = 0; i < 8; ++i) {
        append(bursts, noise(0.2, 0.3, static_cast<std::uint32_t>(i)));
        append(bursts, silence(0.7));
    }
    const ChainSpec loud = chain_of({stage("gain", {{"gain", 9}}), stage("compressor"), stage("limiter")});
    const ChainSpec soft =
        chain_of({stage("equalizer", {{"band2_gain", -9}}), stage("gain", {{"gain", -7}})});
    for (const auto& sound : {words, make_music(8.0), bursts}) {
        const auto c = compare({Side::What::processed, loud, 0, 0}, {Side::What::processed, soft, 0, 0},
                               mono(sound), 48000);
        REQUIRE(c.ok());
        CHECK(integrated(c.value().a) == Approx(integrated(c.value().b)).margin(0.2));
        CHECK(c.value().gain_applied_db() == Approx(*c.value().a_lufs - *c.value().b_lufs));
        CHECK(c.value().a_gain_db <= 0.0);
        CHECK(c.value().b_gain_db <= 0.0);
        LoudnessMeter meter({48000, 1}, LoudnessStorage::exact);
        AudioBuffer a = c.value().a;
        meter.add(a.block(0, static_cast<int>(a.frames())));
        CHECK(*meter.read().true_peak == Approx(*c.value().a_true_peak_dbtp).margin(0.05));
    }
    // Silence has no loudness, and nothing is turned for it.
    const auto none = compare({}, {Side::What::processed, loud, 0, 0}, mono(silence(1.0)), 48000);
    REQUIRE(none.ok());
    CHECK_FALSE(none.value().a_lufs);
    CHECK(none.value().gain_applied_db() == 0.0);
}

TEST_CASE("the sides are aligned to the sample, whatever stage stands between", "[takes][figures]") {
    // A click where the sound is silent otherwise, low enough that no stage limits it.
    for (const StageKind* kind : stage_kinds()) {
        INFO(kind->id);
        ChainSpec chain;
        chain.stages.push_back(new_stage({}, *kind));
        if (kind->id == "robot") chain.stages[0].set("mix", 30);  // else nothing of the sound itself is left
        chain.stages.push_back(new_stage(chain, *find_stage_kind("limiter")));
        const auto c =
            compare({}, {Side::What::processed, chain, 0, 0}, mono(noise(0.01, 1.0, 3)), 48000, false);
        REQUIRE(c.ok());
        REQUIRE(c.value().a.frames() == c.value().b.frames());
        CHECK(c.value().delay_frames == Chain::build(chain, {48000, 1}).value()->latency());
        // The best place of one in the other is where it stands.
        double best = -1.0;
        int at = 0;
        for (int lag = -300; lag <= 300; ++lag) {
            double sum = 0.0;
            for (size_t i = 12000; i < 36000; ++i)
                sum += static_cast<double>(c.value().a[0][i]) *
                       static_cast<double>(c.value().b[0][static_cast<size_t>(static_cast<int>(i) + lag)]);
            if (sum > best) {
                best = sum;
                at = lag;
            }
        }
        const double heard = rms(c.value().b[0], 12000, 24000);
        if (heard > 1e-4) CHECK(std::abs(at) <= (kind->id == "plosives" || kind->id == "equalizer" ? 1 : 0));
    }
}

TEST_CASE("takes that are written at once get a name each, and none waits for another", "[takes]") {
    const TemporaryFolder folder;
    const TakeStore store(folder.path("takes"));
    write_wav(folder.path("Take.wav"), mono(noise(0.1, 2.0, 1)));
    // Each begins while all those before it are in the middle of their writing.
    std::vector<std::filesystem::path> made;
    const std::function<void(int)> begin = [&](int more) {
        bool begun = false;
        const auto taken = store.import(folder.path("Take.wav"), [&](double done) {
            if (done > 0.6 && !std::exchange(begun, true) && more > 0) begin(more - 1);
            return true;
        });
        REQUIRE(taken.ok());
        made.push_back(taken.value().path);
    };
    begin(3);
    std::ranges::sort(made);
    CHECK(made.size() == 4);
    CHECK(std::ranges::adjacent_find(made) == made.end());
    CHECK(store.list().size() == 4);
}

TEST_CASE("the sides of any chain are aligned to the sample", "[takes][figures]") {
    // What a chain makes of a sound is what its stages make of it one after another, each of which is aligned
    // (above): wherever they stand, and however they are set. Stages with a tone, a movement or
    // periods of their own begin them anew each time, and are left out.
    const auto words = spoken_words();
    const std::vector<float> x(words.begin(), words.begin() + 4 * 48000);
    std::mt19937 random(7);
    const auto upto = [&](size_t n) { return static_cast<size_t>(random() % n); };
    std::vector<const StageKind*> kinds;
    for (const StageKind* kind : stage_kinds()) {
        if (kind->id != "robot" && kind->id != "doubler" && kind->id != "pitch") kinds.push_back(kind);
    }
    int judged = 0, late = 0;
    for (int round = 0; round < 40; ++round) {
        ChainSpec chain;
        std::string names;
        for (size_t n = 2 + upto(4); n > 0; --n) {
            StageSpec s = new_stage(chain, *kinds[upto(kinds.size())]);
            for (size_t p = 0; p < s.values.size(); ++p) {
                const Parameter& row = s.stage_kind().parameters[p];
                if (row.transient || upto(3) != 0) continue;
                // Between the default and an end, so that something is left to be heard.
                const double towards = upto(2) == 0 ? row.minimum : row.maximum;
                double value = row.default_value + 0.5 * (towards - row.default_value);
                if (row.kind != ValueKind::number)
                    value = static_cast<double>(upto(static_cast<size_t>(row.maximum) + 1));
                s.values[p] = value;
            }
            names += s.kind + " ";
            chain.stages.push_back(std::move(s));
        }
        INFO(round << ": " << names);
        REQUIRE(chain_problems(chain).empty());
        std::vector<float> one_by_one = x;
        for (const StageSpec& s : chain.stages) one_by_one = run(chain_of({s}), one_by_one);
        const auto c = compare({}, {Side::What::processed, chain, 0, 0}, mono(x), 48000, false);
        REQUIRE(c.ok());
        late += c.value().delay_frames > 0 ? 1 : 0;
        const auto& together = c.value().b[0];
        if (rms(together, 48000, 96000) < 1e-4) continue;
        double best = -1.0;
        int at = 0;
        for (int lag = -200; lag <= 200; ++lag) {
            double sum = 0.0;
            for (size_t i = 48000; i < 144000; ++i)
                sum += static_cast<double>(one_by_one[i]) *
                       together[static_cast<size_t>(static_cast<int>(i) + lag)];
            if (sum > best) {
                best = sum;
                at = lag;
            }
        }
        CHECK(at == 0);
        ++judged;
    }
    CHECK(judged > 30);
    CHECK(late > 20);
}

TEST_CASE("what a stretch of the chain takes away is what it got minus what it gave", "[takes]") {
    const ChainSpec chain =
        chain_of({stage("gain", {{"gain", 3}}), stage("equalizer", {{"band3_gain", -8}}), stage("limiter")});
    const auto x = noise(0.05, 1.0, 5);
    const auto all = render_side({Side::What::taken_away, chain, 0, 3}, mono(x), 48000);
    const auto one = render_side({Side::What::taken_away, chain, 1, 2}, mono(x), 48000);
    REQUIRE((all.ok() && one.ok()));
    const auto after = run(chain, x);
    ChainSpec first = chain, two = chain;
    first.stages.resize(1);
    two.stages.resize(2);
    const auto before_eq = run(first, x), after_eq = run(two, x);
    for (size_t i = 0; i < x.size(); ++i) {
        REQUIRE(all.value()[0][i] == Approx(x[i] - after[i]).margin(1e-6));
        REQUIRE(one.value()[0][i] == Approx(before_eq[i] - after_eq[i]).margin(1e-6));
    }
}

TEST_CASE("the chance of guessing is that of the binomial table", "[takes][reference]") {
    // P(K >= k), n = 10, p = 1/2: sums of C(10, k) / 1024.
    CHECK(guess_probability(10, 10) == Approx(1.0 / 1024));
    CHECK(guess_probability(9, 10) == Approx(11.0 / 1024));
    CHECK(guess_probability(8, 10) == Approx(56.0 / 1024));
    CHECK(guess_probability(7, 10) == Approx(176.0 / 1024));
    CHECK(guess_probability(5, 10) == Approx(638.0 / 1024));
    CHECK(guess_probability(0, 10) == Approx(1.0));
    CHECK(guess_probability(0, 0) == Approx(1.0));
    int b = 0;
    for (std::uint32_t seed = 0; seed < 200; ++seed) {
        BlindTest test(seed);
        for (int i = 0; i < BlindTest::kRounds; ++i) {
            CHECK(test.round() == i + 1);
            b += static_cast<int>(test.x_is_b());
            test.answer(i < 8 ? test.x_is_b() : !test.x_is_b());
        }
        REQUIRE(test.done());
        test.answer(true);
        CHECK(test.right() == 8);
        CHECK(test.chance() == Approx(56.0 / 1024));
    }
    CHECK(b > 900);  // of 2000 by lot: 1000, and six deviations are 134
    CHECK(b < 1134);
}
