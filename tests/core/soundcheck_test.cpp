// The soundcheck: its measures against published values and constructed sounds, its steps, and what it
// proposes.
#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <numbers>

#include "base/decibel.h"
#include "base/file.h"
#include "chain/chain.h"
#include "engine/render.h"
#include "measure/narrow_tones.h"
#include "measure/room_echo.h"
#include "measure/sibilance.h"
#include "measure/third_octaves.h"
#include "measure/voice_pitch.h"
#include "scenes/scene.h"
#include "soundcheck/chain_builder.h"
#include "soundcheck/proposal.h"
#include "soundcheck/report.h"
#include "support/command.h"
#include "support/noises.h"
#include "support/room.h"
#include "support/signals.h"
#include "support/vowel.h"

using namespace reed;
using namespace reed::test;

namespace {

constexpr double kRate = 48000.0;

/// Spoken words, repeated to `seconds`, at about `dbfs` during speech.
std::vector<float> talk(double dbfs, double seconds) {
    auto x = spoken_words(3);
    const auto level = speech_level(x, kRate);
    x.resize(static_cast<size_t>(seconds * kRate));
    return louder(std::move(x), dbfs - level->active_dbfs);
}

/// Talk in a room with a fan.
StepRecordings recordings(double speech_dbfs = -26.0, double noise_dbfs = -56.0) {
    StepRecordings out;
    out.sample_rate = kRate;
    out[SoundcheckStep::silence] = mono(fan_noise(noise_dbfs, 5.0));
    out[SoundcheckStep::talk] = mono(mix(talk(speech_dbfs, 12.0), fan_noise(noise_dbfs, 12.0, 4)));
    return out;
}

std::vector<std::string> ids(const SoundcheckFacts& facts) {
    std::vector<std::string> out;
    for (const SoundcheckFinding& f : soundcheck_findings(facts)) out.emplace_back(f.finding.id);
    return out;
}

bool says(const StepRecordings& steps, const std::string& id) {
    const auto facts = analyse_steps(steps);
    REQUIRE(facts.ok());
    const auto all = ids(facts.value());
    return std::ranges::find(all, id) != all.end();
}

std::string problem_of(SoundcheckStep step, const std::vector<float>& sound,
                       const AudioBuffer* silence = nullptr) {
    const auto problem = step_problem(step, mono(sound), kRate, silence);
    return problem ? std::string(problem->id) : std::string();
}

}  // namespace

TEST_CASE("third octave levels put a sine into its band and add up to the level of noise") {
    // IEC 61260-1, base ten: 1 kHz is the reference, 16 bands above 25 Hz.
    CHECK(third_octave_centre(16) == Approx(1000.0));
    CHECK(third_octave_centre(26) == Approx(10000.0));
    CHECK(third_octave_centre(0) == Approx(25.12).margin(0.01));
    CHECK(third_octave_of(1100.0) == 16);
    CHECK(third_octave_of(1130.0) == 17);
    const auto tone = third_octave_levels(sine(1000.0, 0.1, 3.0), kRate);
    REQUIRE(tone);
    CHECK((*tone)[16] == Approx(-20.0).margin(0.05));
    CHECK((*tone)[14] < -80.0);
    const auto white = noise(0.05, 20.0, 5);
    const auto bands = third_octave_levels(white, kRate);
    REQUIRE(bands);
    // White noise has the power of a band's width: 22.4 Hz to 17.8 kHz of 24 kHz.
    CHECK(sum_of_bands(*bands) ==
          Approx(mean_square_to_dbfs(0.0025 * (17782.8 - 22.39) / 24000.0)).margin(0.1));
    CHECK((*bands)[20] - (*bands)[17] == Approx(3.0).margin(0.3));
    CHECK_FALSE(third_octave_levels(std::vector<float>(100), kRate));
}

TEST_CASE("A-weighting has the values of IEC 61672-1, table 3") {
    const std::pair<double, double> kTable[] = {{31.62, -39.4}, {63.10, -26.2}, {125.9, -16.1}, {251.2, -8.6},
                                                {501.2, -3.2},  {1000.0, 0.0},  {1995.0, 1.2},  {3981.0, 1.0},
                                                {7943.0, -1.1}, {15850.0, -6.6}};
    for (const auto& [frequency, db] : kTable) {
        CAPTURE(frequency);
        CHECK(a_weighting(frequency) == Approx(db).margin(0.06));
    }
    ThirdOctaveLevels only_low;
    only_low.fill(kSilenceDb);
    only_low[third_octave_of(125.0)] = -30.0;
    CHECK(a_weighted_level(only_low) == Approx(-46.1).margin(0.1));
}

TEST_CASE(
    "a voice with the average speech spectrum differs from it by nothing, a swollen band by its height") {
    ThirdOctaveLevels voice;
    voice.fill(kSilenceDb);
    for (size_t k = 4; k < kThirdOctaves; ++k) voice[k] = *byrne_speech_level(k) - 90.0;
    for (size_t k = 4; k < kThirdOctaves; ++k)
        CHECK(against_average_speech(voice)[k] == Approx(0.0).margin(1e-9));
    voice[third_octave_of(400.0)] += 9.0;
    voice[third_octave_of(500.0)] += 9.0;
    CHECK(against_average_speech(voice)[third_octave_of(400.0)] == Approx(9.0));
    CHECK(against_average_speech(voice)[third_octave_of(2000.0)] == Approx(0.0).margin(1e-9));
}

TEST_CASE("pitch range has the pitch of sung vowels, and nothing for noise") {
    auto x = vowel(110.0, 3.0);
    append(x, vowel(200.0, 1.0));
    const auto range = pitch_range(x, kRate);
    REQUIRE(range);
    CHECK(range->low == Approx(110.0).margin(2.0));
    CHECK(range->median == Approx(110.0).margin(2.0));
    CHECK(range->high == Approx(200.0).margin(4.0));
    CHECK_FALSE(pitch_range(noise(0.1, 3.0, 3), kRate));
    CHECK_FALSE(pitch_range(silence(3.0), kRate));
}

TEST_CASE("room echo grows with the decay of the room") {
    const auto words = talk(-26.0, 12.0);
    const auto dry = room_echo(words, kRate);
    REQUIRE(dry);
    CHECK(dry->amount == EchoAmount::low);
    const auto some = room_echo(reverberant(words, 0.35), kRate);
    const auto much = room_echo(reverberant(words, 0.9), kRate);
    REQUIRE(some);
    REQUIRE(much);
    CHECK(some->amount == EchoAmount::medium);
    CHECK(much->amount == EchoAmount::high);
    CHECK_FALSE(room_echo(silence(3.0), kRate));
}

TEST_CASE("narrow tones are found by frequency and level, and hum is left to its own finder") {
    auto x = fan_noise(-60.0, 5.0);
    x = mix(x, sine(3170.0, db_to_gain(-65.0), 5.0));
    const auto found = narrow_tones(x, kRate, nullptr);
    const auto whistle =
        std::ranges::find_if(found, [](const NarrowTone& t) { return t.frequency > 2000.0; });
    REQUIRE(whistle != found.end());
    CHECK(whistle->frequency == Approx(3170.0).margin(3.0));
    CHECK(whistle->level == Approx(-65.0).margin(0.5));
    // In one half only it is an event, not a tone.
    auto half = noise(0.001, 5.0, 3);
    const auto tone = sine(3170.0, db_to_gain(-50.0), 2.0);
    for (size_t i = 0; i < tone.size(); ++i) half[i] += tone[i];
    CHECK(narrow_tones(half, kRate, nullptr).empty());
    Hum hum;
    hum.frequency = 50.0;
    const auto mains = mix(noise(0.0001, 5.0, 3), mix(sine(50.0, 0.01, 5.0), sine(150.0, 0.01, 5.0)));
    CHECK(narrow_tones(mains, kRate, nullptr).size() == 2);
    CHECK(narrow_tones(mains, kRate, &hum).empty());
}

TEST_CASE("sibilance is the level of the sharpest sounds against the voice") {
    // A vowel, and a twentieth of the time noise above 5 kHz as loud as the vowel.
    auto x = vowel(120.0, 4.0);
    const auto speech = speech_level(x, kRate);
    auto hiss = make_noise(Noise::hiss, 0.25, 3);
    BiquadCascade high;
    high.snap(design({FilterType::low_cut, 5500.0, 0.0, 0.7071, 48}, kRate));
    for (float& v : hiss) v = high.next(0, v);
    const double level = mean_square_to_dbfs(std::pow(rms(hiss, 4800), 2.0));
    hiss = louder(std::move(hiss), speech->active_dbfs - level);
    std::copy(hiss.begin(), hiss.end(), x.begin() + 96000);
    CHECK(sibilance(x, kRate).value() == Approx(0.0).margin(1.5));
    CHECK(sibilance(vowel(120.0, 4.0), kRate).value() < -25.0);
    CHECK_FALSE(sibilance(silence(2.0), kRate));
}

TEST_CASE("soundcheck step says why a recording can't be used") {
    CHECK(problem_of(SoundcheckStep::silence, fan_noise(-60.0, 5.0)).empty());
    CHECK(problem_of(SoundcheckStep::silence, fan_noise(-60.0, 2.0)) == "too_short");
    CHECK(problem_of(SoundcheckStep::silence, silence(5.0)) == "nothing_heard");
    CHECK(problem_of(SoundcheckStep::silence, mix(talk(-26.0, 5.0), fan_noise(-60.0, 5.0))) ==
          "speech_in_silence");
    CHECK(problem_of(SoundcheckStep::talk, mix(talk(-26.0, 8.0), fan_noise(-60.0, 8.0))).empty());
    CHECK(problem_of(SoundcheckStep::talk, fan_noise(-40.0, 8.0)) == "no_speech");
    auto hot = talk(-8.0, 8.0);
    for (float& v : hot) v = std::clamp(4.0f * v, -1.0f, 1.0f);
    CHECK(problem_of(SoundcheckStep::talk, hot) == "clipped");
    const AudioBuffer loud_room = mono(fan_noise(-28.0, 5.0));
    const auto under = step_problem(SoundcheckStep::talk, mono(mix(talk(-26.0, 8.0), fan_noise(-29.0, 8.0))),
                                    kRate, &loud_room);
    REQUIRE(under);
    CHECK((under->id == "near_noise" || under->id == "no_speech"));
    CHECK(problem_of(SoundcheckStep::noises, louder(make_noise(Noise::keyboard, 6.0, 2), -40.0)).empty());
    // A loud step is no speech for a network; its level is enough.
    CHECK(problem_of(SoundcheckStep::loud, vowel(400.0, 3.0)).empty());
}

TEST_CASE("soundcheck needs silence and talk, and leaves other steps out that can't be used") {
    StepRecordings none;
    CHECK_FALSE(analyse_steps(none).ok());
    StepRecordings steps = recordings();
    steps[SoundcheckStep::quiet] = mono(fan_noise(-56.0, 7.0));
    const auto usable = usable_steps(steps);
    REQUIRE(usable.ok());
    CHECK_FALSE(usable.value().has(SoundcheckStep::quiet));
    CHECK(analyse_steps(steps).ok());
    CHECK_FALSE(analyse_steps(steps, [](double) { return false; }).ok());
}

TEST_CASE("soundcheck measures speech, noise and their distance as they were made", "[figures]") {
    const auto facts = analyse_steps(recordings(-26.0, -56.0));
    REQUIRE(facts.ok());
    const SoundcheckFacts& f = facts.value();
    CHECK(f.speech.active_dbfs == Approx(-26.0).margin(0.7));  // ITU-T P.56; the noise adds a little
    CHECK(f.noise.level == Approx(-56.0).margin(0.3));
    CHECK(f.signal_to_noise == Approx(30.0).margin(1.0));
    CHECK(f.clipped == 0);
    CHECK(f.channels == 1);
    REQUIRE(f.pitch);
    CHECK(f.pitch->median > 80.0);
    CHECK(f.pitch->median < 350.0);
    CHECK(says(recordings(), "level_right"));
    CHECK(says(recordings(-54.0, -86.0), "too_quiet"));
    CHECK(says(recordings(-26.0, -36.0), "near_noise"));
}

TEST_CASE("soundcheck finds what was put into the recordings, and does not without it", "[figures]") {
    const StepRecordings plain = recordings();
    for (const char* id : {"hum", "one_side", "out_of_phase", "band_limited", "rumble", "noises_loud"}) {
        CAPTURE(id);
        CHECK_FALSE(says(plain, id));
    }
    const auto with_noise = [](const std::vector<float>& extra) {
        StepRecordings out = recordings();
        for (const SoundcheckStep s : {SoundcheckStep::silence, SoundcheckStep::talk}) {
            std::vector<float> x = extra;
            x.resize(out[s].frames());
            out[s] = mono(mix(out[s][0], x));
        }
        return out;
    };
    CHECK(says(
        with_noise(mix(sine(50.0, 0.003, 12.0), mix(sine(100.0, 0.002, 12.0), sine(150.0, 0.002, 12.0)))),
        "hum"));
    CHECK(says(with_noise(sine(3170.0, 0.001, 12.0)), "tone"));
    CHECK(says(with_noise(louder(dull_noise(1.0, 25.0, 12.0, 9), -40.0)), "rumble"));
    StepRecordings two = recordings();
    for (AudioBuffer& b : two.sounds) {
        if (b.frames() > 0) b = stereo(louder(b[0], -60.0), b[0]);
    }
    CHECK(says(two, "one_side"));
    two = recordings();
    for (AudioBuffer& b : two.sounds) {
        if (b.frames() == 0) continue;
        auto other = b[0];
        for (float& v : other) v = -v;
        b = stereo(b[0], other);
    }
    CHECK(says(two, "out_of_phase"));
    StepRecordings keys = recordings();
    keys[SoundcheckStep::noises] =
        mono(mix(louder(make_noise(Noise::keyboard, 6.0, 2), -32.0), fan_noise(-56.0, 6.0)));
    CHECK(says(keys, "noises_loud"));
    // Three clicks of a mouse in the whole step as well: a gate opens for each of them.
    std::vector<float> clicks = fan_noise(-70.0, 6.0);
    for (const size_t at : {60000u, 140000u, 220000u}) {
        for (size_t i = 0; i < 960; ++i) clicks[at + i] += i % 2 == 0 ? 0.2f : -0.2f;
    }
    keys[SoundcheckStep::noises] = mono(std::move(clicks));
    CHECK(says(keys, "noises_loud"));
    // A wireless headset in call mode: nothing above 3.4 kHz.
    StepRecordings narrow = recordings();
    auto cut = talk(-26.0, 12.0);
    BiquadCascade f;
    f.snap(design({FilterType::high_cut, 3400.0, 0.0, 0.7071, 48}, kRate));
    for (int pass = 0; pass < 2; ++pass) {
        f.reset();
        for (float& v : cut) v = f.next(0, v);
    }
    narrow[SoundcheckStep::talk] = mono(mix(cut, louder(fan_noise(-56.0, 12.0, 4), -40.0)));
    narrow[SoundcheckStep::silence] = mono(fan_noise(-96.0, 5.0));
    CHECK(says(narrow, "band_limited"));
}

TEST_CASE("soundcheck proposes a chain that does what it promises", "[figures]") {
    StepRecordings steps = recordings(-34.0, -62.0);
    steps[SoundcheckStep::quiet] = mono(mix(talk(-44.0, 7.0), fan_noise(-62.0, 7.0, 8)));
    steps[SoundcheckStep::loud] = mono(mix(talk(-20.0, 5.0), fan_noise(-62.0, 5.0, 9)));
    const auto facts = analyse_steps(steps);
    const auto joined = StepSound::join(steps);
    REQUIRE(facts.ok());
    REQUIRE(joined.ok());
    const auto proposal = propose_chain(facts.value(), joined.value(), -18.0);
    REQUIRE(proposal.ok());
    const SoundcheckProposal& p = proposal.value();
    CHECK(chain_problems(p.chain).empty());
    CHECK(chain_warnings(p.chain).empty());
    CHECK(p.chain.stages.back().stage_kind().lid);
    CHECK(p.orders.size() == stage_orders().size());
    CHECK(std::ranges::is_sorted(p.orders, {}, &OrderFigures::score));
    CHECK(p.figures.loudness == Approx(-18.0).margin(0.5));
    CHECK(p.figures.true_peak < -1.0);
    CHECK(p.figures.noise_gain > 15.0);
    CHECK(p.figures.reduction > 3.0);
    CHECK(p.figures.reduction < 8.0);
    CHECK(p.figures.loss.words > 5);
    CHECK(p.figures.loss.truncated == 0);
    CHECK(p.figures.loss.cut == 0);
    // What it says is what a render of the whole gives.
    const auto again = measure_chain(p.chain, joined.value());
    REQUIRE(again.ok());
    CHECK(again.value().loudness == p.figures.loudness);
    CHECK(again.value().noise == p.figures.noise);
    // Every line names a stage of the chain, rows of its table, and a reason.
    for (const SoundcheckLine& line : p.lines) {
        CAPTURE(line.id);
        CHECK_FALSE(line.why.words.empty());
        CHECK_FALSE(line.effect.empty());
        if (line.stage.empty()) continue;
        const int at = p.chain.index_of(line.stage);
        REQUIRE(at >= 0);
        for (const size_t row : line.rows) CHECK(row < p.chain.stages[static_cast<size_t>(at)].values.size());
    }
    // The low cut lies below the lowest pitch.
    const auto cut = std::ranges::find(p.lines, std::string_view("low_cut"), &SoundcheckLine::id);
    REQUIRE(cut != p.lines.end());
    const StageSpec& eq = p.chain.stages[static_cast<size_t>(p.chain.index_of(cut->stage))];
    CHECK(eq.value("band1_frequency") < facts.value().pitch->low);
    // A line alone changes one stage of another chain, or adds it at its place.
    const ChainSpec bare = chain_of({stage("gain"), stage("limiter", {{"ceiling", -6.0}})});
    for (size_t i = 0; i < p.lines.size(); ++i) {
        const SoundcheckLine& line = p.lines[i];
        CAPTURE(line.id);
        const ChainSpec one = with_line(bare, p, i);
        CHECK(chain_problems(one).empty());
        CHECK(one.stages.back().kind == "limiter");
        if (line.stage.empty()) {
            CHECK(one == bare);
            continue;
        }
        const StageSpec& source = p.chain.stages[static_cast<size_t>(p.chain.index_of(line.stage))];
        const auto has = [&](const ChainSpec& chain) {
            return std::ranges::find(chain.stages, source.kind, &StageSpec::kind);
        };
        REQUIRE(has(one) != one.stages.end());
        CHECK(one.stages.size() == bare.stages.size() + (has(bare) == bare.stages.end() ? 1 : 0));
        for (const size_t row : line.rows) CHECK(has(one)->values[row] == source.values[row]);
        if (line.band >= 0) {
            // Of an equalizer only its band.
            const StageSpec fresh = new_stage({}, source.stage_kind());
            const auto on_row =
                static_cast<size_t>(source.stage_kind().find("band" + std::to_string(line.band + 1) + "_on"));
            for (size_t row = 0; row < fresh.values.size(); ++row) {
                if (row == on_row || std::ranges::find(line.rows, row) != line.rows.end()) continue;
                CAPTURE(row);
                CHECK(has(one)->values[row] == fresh.values[row]);
            }
        }
        if (line.id == "suppression") CHECK(one.index_of("limiter") == 2);
    }
    // A line that is off is missing, and the rest is as loud.
    std::vector<bool> on(p.lines.size(), true);
    for (size_t i = 0; i < p.lines.size(); ++i) {
        if (p.lines[i].id == "suppression") on[i] = false;
    }
    const auto less = chain_with_lines(p, on, joined.value());
    REQUIRE(less.ok());
    CHECK(less.value().stages.size() + 1 == p.chain.stages.size());
    CHECK(measure_chain(less.value(), joined.value()).value().loudness == Approx(-18.0).margin(0.5));
    // Without the compressor and its make-up the gain brings the talk to the target.
    on.assign(p.lines.size(), true);
    for (size_t i = 0; i < p.lines.size(); ++i) {
        if (p.lines[i].id == "compressor") on[i] = false;
    }
    const auto even = chain_with_lines(p, on, joined.value());
    REQUIRE(even.ok());
    CHECK(measure_chain(even.value(), joined.value()).value().loudness == Approx(-18.0).margin(0.5));
}

TEST_CASE("an uncertain finding says so at the end of its first sentence") {
    CHECK(qualified("It is right.", "likely") == "It is right (likely).");
    CHECK(qualified("The room echoes (0.45 s). Hang up a blanket.", "likely") ==
          "The room echoes (0.45 s, likely). Hang up a blanket.");
    CHECK(qualified("No full stop", "likely") == "No full stop (likely)");
}

TEST_CASE("soundcheck proposal ends with an error when it is cancelled") {
    const StepRecordings steps = recordings();
    const auto facts = analyse_steps(steps);
    const auto joined = StepSound::join(steps);
    REQUIRE(facts.ok());
    REQUIRE(joined.ok());
    const auto proposal =
        propose_chain(facts.value(), joined.value(), -16.0, 2, [](double) { return false; });
    REQUIRE_FALSE(proposal.ok());
    CHECK(proposal.error().what == "Cancelled.");
}

TEST_CASE("soundcheck of a quiet room leaves the suppression out and says why", "[figures]") {
    const StepRecordings steps = recordings(-24.0, -96.0);
    const auto facts = analyse_steps(steps);
    const auto joined = StepSound::join(steps);
    REQUIRE(facts.ok());
    const auto proposal = propose_chain(facts.value(), joined.value());
    REQUIRE(proposal.ok());
    for (const StageSpec& s : proposal.value().chain.stages) CHECK(s.kind != "suppression");
    const auto& lines = proposal.value().lines;
    CHECK(std::ranges::find(lines, std::string_view("no_suppression"), &SoundcheckLine::id) != lines.end());
    CHECK(std::ranges::find(lines, std::string_view("no_gate"), &SoundcheckLine::id) != lines.end());
}

TEST_CASE("loss of speech: the template for keyboards takes the keys and leaves the words", "[figures]") {
    const auto scene = load_scene(std::string(REED_DEMO_DATA) + "/starting_points/keyboard.json").scene;
    REQUIRE(scene);
    ChainSpec chain = scene->chain();
    const int compressor = chain.index_of("compressor");
    REQUIRE(compressor > 0);
    chain.stages.resize(static_cast<size_t>(compressor));
    size_t words = 0;
    size_t cut = 0;
    for (const double level : {-22.0, -30.0, -38.0}) {
        CAPTURE(level);
        StepRecordings steps = recordings(level, level - 34.0);
        auto keys = make_noise(Noise::keyboard, 6.0, 9);
        const double by = level - 2.0 - gain_to_db(peak(keys));
        steps[SoundcheckStep::noises] = mono(mix(louder(std::move(keys), by), fan_noise(level - 34.0, 6.0)));
        const auto joined = StepSound::join(steps);
        REQUIRE(joined.ok());
        const auto run = run_chain(chain, joined.value().sound(), kRate);
        REQUIRE(run.ok());
        const SpeechLoss loss = joined.value().loss(joined.value().input(), run.value().taps.back());
        words += loss.words;
        cut += loss.truncated;
        const double before = *joined.value().levels(joined.value().input()).noises;
        const double after = *joined.value().levels(run.value().taps.back()).noises;
        CHECK(before - after > 15.0);
    }
    CAPTURE(words, cut);
    CHECK(words > 20);
    CHECK(6 * cut <= words);  // 8 of 30 when only speech counted as louder than noise
}

TEST_CASE("loss of speech counts words whose ends are cut, and none for a plain gain") {
    const StepRecordings steps = recordings(-26.0, -70.0);
    const auto joined = StepSound::join(steps);
    REQUIRE(joined.ok());
    const StepSound& s = joined.value();
    const auto quieter = run_chain(chain_of({stage("gain", {{"gain", -12.0}})}), s.sound(), kRate);
    REQUIRE(quieter.ok());
    const SpeechLoss none = s.loss(s.input(), quieter.value().taps.back());
    CHECK(none.words > 5);
    CHECK(none.truncated == 0);
    CHECK(none.cut == 0);
    // A gate that opens far too high.
    const auto gated = run_chain(
        chain_of({stage(
            "gate",
            {{"open_threshold", -26.0}, {"close_threshold", -28.0}, {"hold", 0.0}, {"release", 5.0}})}),
        s.sound(), kRate);
    REQUIRE(gated.ok());
    const SpeechLoss much = s.loss(s.input(), gated.value().taps.back());
    CHECK(much.truncated > 2);
    CHECK(much.deepest > 6.0);
}

TEST_CASE("command line makes a soundcheck of files, writes a scene, and names a file it can't use",
          "[figures]") {
    TemporaryFolder folder;
    const StepRecordings steps = recordings();
    write_wav(folder.path("silence.wav"), steps[SoundcheckStep::silence]);
    write_wav(folder.path("talk.wav"), steps[SoundcheckStep::talk]);
    const auto done = run_command({REED_CLI, "soundcheck", "--silence", folder.path("silence.wav"), "--talk",
                                   folder.path("talk.wav"), "--json", "--out", folder.path("scene.json")});
    INFO(done.err);
    REQUIRE(done.status == 0);
    const auto json = nlohmann::json::parse(done.out);
    CHECK(json["findings"].size() > 5);
    CHECK(json["proposal"]["figures"]["loudness_lufs"].get<double>() == Approx(-16.0).margin(0.5));
    CHECK(json["proposal"]["orders"].size() == stage_orders().size());
    for (const auto& line : json["proposal"]["lines"]) CHECK_FALSE(line["why"].get<std::string>().empty());
    const SceneReading scene = load_scene(folder.path("scene.json"));
    REQUIRE(scene.scene);
    CHECK(scene.scene->chain().stages.size() > 4);
    CHECK(scene.scene->made_for.size() == 1);
    const auto wrong = run_command(
        {REED_CLI, "soundcheck", "--silence", folder.path("talk.wav"), "--talk", folder.path("silence.wav")});
    CHECK(wrong.status == 2);
    CHECK(wrong.err.find("talk.wav can't be used for the step") != std::string::npos);
    const auto missing = run_command(
        {REED_CLI, "soundcheck", "--silence", folder.path("no.wav"), "--talk", folder.path("talk.wav")});
    CHECK(missing.status == 2);
    CHECK(missing.err.find("no.wav") != std::string::npos);
    const auto target = run_command({REED_CLI, "soundcheck", "--silence", folder.path("silence.wav"),
                                     "--talk", folder.path("talk.wav"), "--target", "3"});
    CHECK(target.status == 2);
    CHECK(target.err.find("--target") != std::string::npos);
}
